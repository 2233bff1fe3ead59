DROP TABLE said_as;
DROP TABLE take;
ALTER TABLE journal DROP COLUMN joined;
