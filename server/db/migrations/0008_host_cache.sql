ALTER TABLE "sites" ADD COLUMN "host_cache" jsonb;--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "scheduled_work" jsonb;