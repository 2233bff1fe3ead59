-- Every change of a character's wiring, whole before and after, in order; what was taken back is kept for redo.
CREATE TABLE cast_step (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    cast_id INTEGER NOT NULL REFERENCES cast_member (id),
    words TEXT NOT NULL,
    before TEXT NOT NULL,
    after TEXT NOT NULL,
    undone BOOLEAN NOT NULL DEFAULT FALSE
);
CREATE INDEX cast_step_by_member ON cast_step (cast_id, id);
