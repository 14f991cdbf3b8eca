DROP TABLE trace_chunks, runs, supply_revisions, supplies, accounts;
