/** Takes everything out of a PostgreSQL database, whatever namespace it stands in. */
export const EMPTYING = `
  DO $$ DECLARE place text; BEGIN
    FOR place IN SELECT nspname FROM pg_namespace WHERE nspname NOT LIKE 'pg\\_%' AND nspname <> 'information_schema' LOOP
      EXECUTE format('DROP SCHEMA %I CASCADE', place);
    END LOOP;
  END $$;
  CREATE SCHEMA public`;
