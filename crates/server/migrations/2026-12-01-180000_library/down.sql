DROP INDEX runs_ended;
ALTER TABLE runs DROP COLUMN verdicts, DROP COLUMN judged_by;
ALTER TABLE supplies DROP COLUMN summary, DROP COLUMN tags;
