-- Named states of a line, to go back to and to compare with.
CREATE TABLE snapshot (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    line_id INTEGER NOT NULL REFERENCES line (id),
    name TEXT NOT NULL,
    document TEXT NOT NULL
);
CREATE INDEX snapshot_by_line ON snapshot (line_id, id);
