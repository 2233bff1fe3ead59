-- Characters that were given shapes: the file that came beside the one that is worn now, and how the shapes were made; a step that
-- changed the file names both.
ALTER TABLE cast_member ADD COLUMN source TEXT;
ALTER TABLE cast_member ADD COLUMN shaping TEXT;
ALTER TABLE wiring_step ADD COLUMN from_model TEXT;
ALTER TABLE wiring_step ADD COLUMN to_model TEXT;
ALTER TABLE wiring_step ADD COLUMN from_shaping TEXT;
ALTER TABLE wiring_step ADD COLUMN to_shaping TEXT;
