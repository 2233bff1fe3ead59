-- What a delivered file is, on which frames, and of which state of its line and character it was made and how; and the
-- controls that its line had, to be compared with what it is now. Files of before say nothing of it.
ALTER TABLE delivery ADD COLUMN kind TEXT NOT NULL DEFAULT '';
ALTER TABLE delivery ADD COLUMN frames BIGINT NOT NULL DEFAULT 0;
ALTER TABLE delivery ADD COLUMN first_frame BIGINT NOT NULL DEFAULT 0;
ALTER TABLE delivery ADD COLUMN rate TEXT NOT NULL DEFAULT '';
ALTER TABLE delivery ADD COLUMN state TEXT NOT NULL DEFAULT '';
ALTER TABLE delivery ADD COLUMN how TEXT NOT NULL DEFAULT '';
ALTER TABLE delivery ADD COLUMN faces TEXT REFERENCES blob (hash);
-- How the production delivers, by name.
CREATE TABLE recipe (
    name TEXT PRIMARY KEY NOT NULL,
    body TEXT NOT NULL
);
