DROP INDEX supply_revisions_change;
ALTER TABLE supply_revisions DROP COLUMN change;
