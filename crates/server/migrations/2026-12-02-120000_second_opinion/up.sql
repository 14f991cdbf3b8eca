-- The run that another is a second opinion on.
ALTER TABLE runs ADD COLUMN second_opinion_on UUID REFERENCES runs (id) ON DELETE CASCADE;
CREATE INDEX runs_second_opinion ON runs (second_opinion_on) WHERE second_opinion_on IS NOT NULL;
