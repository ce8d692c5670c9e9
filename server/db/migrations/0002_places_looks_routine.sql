CREATE TABLE "frames" (
	"run_id" text NOT NULL,
	"at_ms" double precision NOT NULL,
	"jpeg" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "messages" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"kind" text NOT NULL,
	"sentence" text NOT NULL,
	"measurement_id" text,
	"read" boolean DEFAULT false NOT NULL
);
--> statement-breakpoint
ALTER TABLE "measurements" ADD COLUMN "source" text DEFAULT 'lab' NOT NULL;--> statement-breakpoint
ALTER TABLE "runs" ADD COLUMN "purpose" text DEFAULT 'count' NOT NULL;--> statement-breakpoint
ALTER TABLE "runs" ADD COLUMN "details" jsonb;--> statement-breakpoint
ALTER TABLE "sitemap_pages" ADD COLUMN "visits" integer;--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "places" jsonb DEFAULT '{"origin":null,"hosts":[]}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "hosts" jsonb DEFAULT '{"added":[],"privateAddresses":"refused"}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "journeys" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "routine" jsonb;--> statement-breakpoint
ALTER TABLE "frames" ADD CONSTRAINT "frames_run_id_runs_id_fk" FOREIGN KEY ("run_id") REFERENCES "public"."runs"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "messages" ADD CONSTRAINT "messages_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "frames_run" ON "frames" USING btree ("run_id","at_ms");--> statement-breakpoint
CREATE INDEX "messages_site" ON "messages" USING btree ("site_id","at");--> statement-breakpoint
UPDATE "runs" SET "purpose" = 'fill' WHERE "pair" = 0;
