-- Scenes: lines of several characters in an order, each as one document; and of which scene a delivered file is.
CREATE TABLE scene (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    body TEXT NOT NULL,
    gone BOOLEAN NOT NULL DEFAULT 0
);
ALTER TABLE delivery ADD COLUMN scene_id INTEGER REFERENCES scene (id);
