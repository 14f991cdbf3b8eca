ALTER TABLE runs DROP COLUMN second_opinion_on;
