CREATE TABLE accounts (
    id UUID PRIMARY KEY,
    name TEXT NOT NULL
);
-- The one account until sign-in arrives.
INSERT INTO accounts (id, name) VALUES ('00000000-0000-0000-0000-000000000001', 'Demo');

CREATE TABLE supplies (
    id UUID PRIMARY KEY,
    account_id UUID NOT NULL REFERENCES accounts (id),
    title TEXT NOT NULL,
    revision INTEGER NOT NULL,
    document JSONB NOT NULL,
    changed_at TIMESTAMPTZ NOT NULL DEFAULT now()
);
CREATE INDEX supplies_by_account ON supplies (account_id, changed_at DESC);

-- Every version a supply ever had; nothing that was saved is lost.
CREATE TABLE supply_revisions (
    supply_id UUID NOT NULL REFERENCES supplies (id) ON DELETE CASCADE,
    revision INTEGER NOT NULL,
    document JSONB NOT NULL,
    saved_at TIMESTAMPTZ NOT NULL DEFAULT now(),
    PRIMARY KEY (supply_id, revision)
);

CREATE TABLE runs (
    id UUID PRIMARY KEY,
    account_id UUID NOT NULL REFERENCES accounts (id),
    supply_id UUID NOT NULL REFERENCES supplies (id) ON DELETE CASCADE,
    revision INTEGER NOT NULL,
    study TEXT NOT NULL,
    -- The exact document the run is of.
    document JSONB NOT NULL,
    engine_version TEXT NOT NULL,
    state TEXT NOT NULL CHECK (state IN ('queued', 'running', 'done', 'stopped', 'failed')),
    attempt INTEGER NOT NULL DEFAULT 0,
    stop_requested BOOLEAN NOT NULL DEFAULT FALSE,
    simulated_time DOUBLE PRECISION NOT NULL DEFAULT 0,
    node_count BIGINT NOT NULL DEFAULT 0,
    outcome JSONB,
    message TEXT,
    created_at TIMESTAMPTZ NOT NULL DEFAULT now(),
    started_at TIMESTAMPTZ,
    finished_at TIMESTAMPTZ
);
CREATE INDEX runs_by_supply ON runs (supply_id, created_at DESC);

-- Recorded columns in chunks (level 0) and their minima and maxima over ever longer buckets
-- (levels 1 and up). The signal '' holds the times.
CREATE TABLE trace_chunks (
    run_id UUID NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
    signal TEXT NOT NULL,
    level SMALLINT NOT NULL,
    seq INTEGER NOT NULL,
    from_time DOUBLE PRECISION NOT NULL,
    to_time DOUBLE PRECISION NOT NULL,
    count INTEGER NOT NULL,
    data BYTEA NOT NULL,
    PRIMARY KEY (run_id, level, signal, seq)
);
-- The data is compressed already.
ALTER TABLE trace_chunks ALTER COLUMN data SET STORAGE EXTERNAL;
