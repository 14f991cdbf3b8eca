-- The name the interface gave a change: sent again, it is not made twice.
ALTER TABLE supply_revisions ADD COLUMN change UUID;
CREATE UNIQUE INDEX supply_revisions_change ON supply_revisions (supply_id, change) WHERE change IS NOT NULL;
