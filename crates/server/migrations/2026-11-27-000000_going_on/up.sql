-- What it takes to go on from where a run ended, and the run another went on from.
ALTER TABLE runs ADD COLUMN kept BYTEA;
ALTER TABLE runs ADD COLUMN goes_on_from UUID REFERENCES runs (id) ON DELETE SET NULL;
CREATE INDEX runs_going_on ON runs (goes_on_from) WHERE goes_on_from IS NOT NULL;
-- A recording that was measured, not computed: what it is called and where its traces come from.
ALTER TABLE runs ADD COLUMN measured JSONB;
