-- A character's file that is a layer of changes over another one's shapes names that one.
ALTER TABLE blob ADD COLUMN base TEXT;
