-- How often a line was changed, the number its next thing gets, and which layout its document has.
ALTER TABLE line ADD COLUMN revision BIGINT NOT NULL DEFAULT 0;
ALTER TABLE line ADD COLUMN next_id BIGINT NOT NULL DEFAULT 6;

-- Steps and the results of analyses that followed from them, in order. An edit holds what was and what became, so it
-- takes itself back. Steps of the older layout named things by their places and cannot be read any more.
DROP TABLE journal;
CREATE TABLE step (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    line_id INTEGER NOT NULL REFERENCES line (id),
    -- In words, for the list of steps; of a result nothing.
    words TEXT NOT NULL,
    edit BLOB NOT NULL,
    undone BOOLEAN NOT NULL DEFAULT FALSE,
    -- Messages of one gesture are one step.
    gesture TEXT,
    -- Whether it changes what an analysis starts from: text, times, what is listened to.
    asks BOOLEAN NOT NULL DEFAULT FALSE,
    -- Whether an analysis is to follow from it.
    awaits BOOLEAN NOT NULL DEFAULT FALSE,
    -- Of a result: its times. They are laid again where a step under them is taken back or made again.
    timing BLOB,
    -- Of a result: the step it followed from; nothing is the line as it came.
    cause INTEGER,
    -- Whether the edit is in the document now; a result that a later one covers is not.
    applied BOOLEAN NOT NULL DEFAULT TRUE
);
CREATE INDEX step_by_line ON step (line_id, id);

-- What each change of a line touched, for telling whether an older request meets it.
CREATE TABLE change (
    line_id INTEGER NOT NULL REFERENCES line (id),
    revision BIGINT NOT NULL,
    words TEXT NOT NULL,
    things TEXT NOT NULL,
    gesture TEXT,
    PRIMARY KEY (line_id, revision)
);

-- Long work that was asked for and is not done, so that a stop of the program does not lose it.
CREATE TABLE waiting (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    line_id INTEGER NOT NULL REFERENCES line (id),
    work TEXT NOT NULL
);
