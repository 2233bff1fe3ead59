-- Lines that were asked for together wait until they are let go on.
ALTER TABLE production ADD COLUMN paused BOOLEAN NOT NULL DEFAULT FALSE;
