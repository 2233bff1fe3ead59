-- Reference films of the actor; which one lies on a line is said in the line's document.
CREATE TABLE film (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    line_id INTEGER NOT NULL REFERENCES line (id),
    name TEXT NOT NULL,
    media_type TEXT NOT NULL,
    content TEXT NOT NULL REFERENCES blob (hash)
);
CREATE INDEX film_by_line ON film (line_id, id);
