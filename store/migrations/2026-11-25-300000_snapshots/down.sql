DROP TABLE snapshot;
