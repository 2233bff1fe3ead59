-- What changes touched is remembered of wirings, too.
CREATE TABLE changed (
    -- `line` or `cast`, and its number.
    owner TEXT NOT NULL,
    owner_id INTEGER NOT NULL,
    revision BIGINT NOT NULL,
    words TEXT NOT NULL,
    things TEXT NOT NULL,
    gesture TEXT,
    PRIMARY KEY (owner, owner_id, revision)
);
INSERT INTO changed SELECT 'line', line_id, revision, words, things, gesture FROM change;
DROP TABLE change;
ALTER TABLE changed RENAME TO change;

-- How often a wiring was changed, and the number its next output or wire gets.
ALTER TABLE cast_member ADD COLUMN revision BIGINT NOT NULL DEFAULT 0;
ALTER TABLE cast_member ADD COLUMN next_id BIGINT NOT NULL DEFAULT 1;

-- Steps of wirings as edits. Those of before, whole wirings, are brought over by the program, which drops their table.
CREATE TABLE wiring_step (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    cast_id INTEGER NOT NULL REFERENCES cast_member (id),
    words TEXT NOT NULL,
    edit BLOB NOT NULL,
    undone BOOLEAN NOT NULL DEFAULT FALSE
);
CREATE INDEX wiring_step_by_cast ON wiring_step (cast_id, id);

-- Words and sounds of a line, some dozens together, so that a change writes what it changed and not the rest. They are
-- taken out of the documents by the program.
CREATE TABLE line_part (
    line_id INTEGER NOT NULL REFERENCES line (id),
    part INTEGER NOT NULL,
    body TEXT NOT NULL,
    PRIMARY KEY (line_id, part)
) WITHOUT ROWID;
