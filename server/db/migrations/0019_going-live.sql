CREATE TABLE "going_live" (
	"site_id" text PRIMARY KEY NOT NULL,
	"target" jsonb,
	"before" jsonb,
	"closed_by_hand" boolean DEFAULT false NOT NULL,
	"checked_at" timestamp with time zone,
	"steps" jsonb DEFAULT '[]'::jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "going_live" ADD CONSTRAINT "going_live_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;