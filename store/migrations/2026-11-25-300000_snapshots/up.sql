-- Named states of a line, to go back to and to compare with.
CREATE TABLE snapshot (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    line_id INTEGER NOT NULL REFERENCES line (id),
    name TEXT NOT NULL,
    document TEXT NOT NULL
);
CREATE INDEX snapshot_by_line ON snapshot (line_id, id);

-- A step in words, so that the list of steps is told without reading every edit; empty in older rows.
ALTER TABLE journal ADD COLUMN words TEXT NOT NULL DEFAULT '';
