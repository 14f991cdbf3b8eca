-- What somebody wrote beside a run.
ALTER TABLE runs ADD COLUMN note TEXT NOT NULL DEFAULT '';
