-- What is deleted can be had back for a while before its room is given free.
ALTER TABLE supplies ADD COLUMN deleted_at TIMESTAMPTZ;
ALTER TABLE runs ADD COLUMN deleted_at TIMESTAMPTZ;
-- Runs beyond the newest of each study are deleted, but for those that are marked.
ALTER TABLE accounts ADD COLUMN keep_runs INTEGER NOT NULL DEFAULT 20 CHECK (keep_runs > 0);
ALTER TABLE runs ADD COLUMN marked BOOLEAN NOT NULL DEFAULT FALSE;
-- Room a run takes, in bytes, counted when it ends.
ALTER TABLE runs ADD COLUMN bytes BIGINT NOT NULL DEFAULT 0;
UPDATE runs SET bytes = pg_column_size(document) + coalesce(pg_column_size(outcome), 0)
    + (SELECT coalesce(sum(octet_length(data)), 0) FROM trace_chunks WHERE run_id = runs.id);
-- Stands for all in the document that decides the result; another one makes the run's numbers old.
ALTER TABLE runs ADD COLUMN essence UUID;
CREATE INDEX runs_by_study ON runs (supply_id, study, created_at DESC) WHERE deleted_at IS NULL;
