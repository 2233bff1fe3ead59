-- Faces and sets of curves that a production keeps under a name.
CREATE TABLE pose (
    name TEXT PRIMARY KEY NOT NULL,
    held TEXT NOT NULL
);
CREATE TABLE curve_set (
    name TEXT PRIMARY KEY NOT NULL,
    controls TEXT NOT NULL
);
