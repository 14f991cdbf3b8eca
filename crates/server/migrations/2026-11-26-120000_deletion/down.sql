DROP INDEX runs_by_study;
ALTER TABLE runs DROP COLUMN essence;
ALTER TABLE runs DROP COLUMN bytes;
ALTER TABLE runs DROP COLUMN marked;
ALTER TABLE accounts DROP COLUMN keep_runs;
ALTER TABLE runs DROP COLUMN deleted_at;
ALTER TABLE supplies DROP COLUMN deleted_at;
