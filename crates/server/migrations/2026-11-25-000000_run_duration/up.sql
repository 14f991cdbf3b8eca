-- Simulated time a run shall cover, s, so that progress can be shown without reading its document.
ALTER TABLE runs ADD COLUMN duration DOUBLE PRECISION NOT NULL DEFAULT 0;
