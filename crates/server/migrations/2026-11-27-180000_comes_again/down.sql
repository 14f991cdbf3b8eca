ALTER TABLE trace_chunks DROP COLUMN again;
