-- What the library lists of supplies and of their latest runs, so that it reads no documents and no outcomes.
ALTER TABLE supplies ADD COLUMN summary JSONB, ADD COLUMN tags TEXT[] NOT NULL DEFAULT '{}';
ALTER TABLE runs ADD COLUMN verdicts JSONB, ADD COLUMN judged_by UUID;
CREATE INDEX runs_ended ON runs (supply_id, created_at DESC)
    WHERE outcome IS NOT NULL AND deleted_at IS NULL AND measured IS NULL AND NOT passing;
