-- Parts an account keeps beside the built-in catalogue.
CREATE TABLE own_parts (
    id UUID PRIMARY KEY,
    account_id UUID NOT NULL REFERENCES accounts (id),
    entry JSONB NOT NULL,
    changed_at TIMESTAMPTZ NOT NULL DEFAULT now()
);
CREATE INDEX own_parts_by_account ON own_parts (account_id, changed_at DESC);
