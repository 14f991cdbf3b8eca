-- A run on the way of a drag is gone with the next; when a worker was last heard of a run.
ALTER TABLE runs ADD COLUMN passing BOOLEAN NOT NULL DEFAULT FALSE, ADD COLUMN noted_at TIMESTAMPTZ;
