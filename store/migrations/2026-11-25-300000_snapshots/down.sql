DROP TABLE snapshot;
ALTER TABLE journal DROP COLUMN words;
