DROP TRIGGER runs_moved ON runs;
DROP FUNCTION tell_of_run();
