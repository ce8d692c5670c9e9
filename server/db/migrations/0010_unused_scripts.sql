-- The remedy of three fixed script switches became one of scripts that are proven unused: its name and settings in every setup that is kept.
CREATE FUNCTION pg_temp.of_today(setup jsonb) RETURNS jsonb LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE WHEN setup #> '{remedies,features}' IS NULL THEN setup
    ELSE jsonb_set(
      setup #- '{remedies,features}',
      '{remedies,unusedScripts}',
      (setup #> '{remedies,features}') - 'emoji' - 'embeds' - 'migration'
    ) END
$$;--> statement-breakpoint
UPDATE "versions" SET "setup" = pg_temp.of_today("setup") WHERE "setup" IS NOT NULL;--> statement-breakpoint
UPDATE "trials" SET "setup" = pg_temp.of_today("setup") WHERE "setup" IS NOT NULL;--> statement-breakpoint
UPDATE "ledger" SET "setup" = pg_temp.of_today("setup") WHERE "setup" IS NOT NULL;--> statement-breakpoint
UPDATE "candidates" SET "setup" = pg_temp.of_today("setup") WHERE "setup" IS NOT NULL;
