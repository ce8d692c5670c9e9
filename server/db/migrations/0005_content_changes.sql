CREATE TABLE "change_calls" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"how" text NOT NULL,
	"paths" jsonb NOT NULL,
	"purged" integer NOT NULL,
	"problem" text
);
--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "change_key" text DEFAULT replace(gen_random_uuid()::text, '-', '') NOT NULL;--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "hmac_field" text;--> statement-breakpoint
ALTER TABLE "change_calls" ADD CONSTRAINT "change_calls_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;