CREATE TABLE production (
    id INTEGER PRIMARY KEY NOT NULL CHECK (id = 1),
    name TEXT NOT NULL,
    rate_num INTEGER NOT NULL,
    rate_den INTEGER NOT NULL,
    first_frame BIGINT NOT NULL
);
INSERT INTO production VALUES (1, 'Untitled production', 24, 1, 1001);

-- Files byte for byte, named by their SHA-256.
CREATE TABLE blob (
    hash TEXT PRIMARY KEY NOT NULL,
    bytes BLOB NOT NULL
);

CREATE TABLE cast_member (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    name TEXT NOT NULL UNIQUE,
    model TEXT NOT NULL REFERENCES blob (hash),
    wiring TEXT NOT NULL
);

CREATE TABLE line (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    document TEXT NOT NULL,
    recording TEXT NOT NULL REFERENCES blob (hash),
    recording_name TEXT NOT NULL,
    recording_facts TEXT NOT NULL,
    problem TEXT
);

-- Every edit of a line with its inverse, in order; what was taken back is kept for redo.
CREATE TABLE journal (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    line_id INTEGER NOT NULL REFERENCES line (id),
    edit TEXT NOT NULL,
    inverse TEXT NOT NULL,
    undone BOOLEAN NOT NULL DEFAULT FALSE
);
CREATE INDEX journal_by_line ON journal (line_id, id);

CREATE TABLE delivery (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    line_id INTEGER NOT NULL REFERENCES line (id),
    file_name TEXT NOT NULL,
    media_type TEXT NOT NULL,
    size BIGINT NOT NULL,
    content TEXT NOT NULL REFERENCES blob (hash)
);
