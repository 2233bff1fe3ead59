-- Lines have an order of their own; what is deleted is kept, to be had back.
ALTER TABLE line ADD COLUMN place BIGINT NOT NULL DEFAULT 0;
UPDATE line SET place = id;
ALTER TABLE line ADD COLUMN gone BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE cast_member ADD COLUMN gone BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE take ADD COLUMN gone BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE delivery ADD COLUMN gone BOOLEAN NOT NULL DEFAULT FALSE;

-- What a character is called now; lines go on knowing it by `name`, which never changes.
ALTER TABLE cast_member ADD COLUMN title TEXT NOT NULL DEFAULT '';
UPDATE cast_member SET title = name;

-- Changes of the production as a whole, in order; what was taken back is kept for redo.
CREATE TABLE production_step (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    words TEXT NOT NULL,
    edit TEXT NOT NULL,
    undone BOOLEAN NOT NULL DEFAULT FALSE
);
