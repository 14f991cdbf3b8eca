ALTER TABLE runs DROP COLUMN passing, DROP COLUMN noted_at;
