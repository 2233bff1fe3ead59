-- A step that belongs to the one before it: both are taken back and made again together.
ALTER TABLE journal ADD COLUMN joined BOOLEAN NOT NULL DEFAULT FALSE;

-- Other recordings of a line's words.
CREATE TABLE take (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    line_id INTEGER NOT NULL REFERENCES line (id),
    recording TEXT NOT NULL REFERENCES blob (hash),
    recording_name TEXT NOT NULL,
    recording_facts TEXT NOT NULL
);
CREATE INDEX take_by_line ON take (line_id, id);

-- How words are said in this production, where the dictionary does not know better.
CREATE TABLE said_as (
    word TEXT PRIMARY KEY NOT NULL,
    sounds TEXT NOT NULL
);
