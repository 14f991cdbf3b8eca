-- Whoever follows a run is told when it has moved, instead of asking.
CREATE FUNCTION tell_of_run() RETURNS trigger AS $$
BEGIN
    PERFORM pg_notify('mellow_runs', NEW.id::text);
    RETURN NULL;
END;
$$ LANGUAGE plpgsql;
CREATE TRIGGER runs_moved AFTER UPDATE ON runs FOR EACH ROW EXECUTE FUNCTION tell_of_run();
