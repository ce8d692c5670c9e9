CREATE TABLE "rented_cdns" (
	"site_id" text PRIMARY KEY NOT NULL,
	"provider" text NOT NULL,
	"scope" text NOT NULL,
	"host_url" text,
	"api_address" text,
	"token" text,
	"reference" text NOT NULL,
	"distribution_id" text,
	"state" text NOT NULL,
	"problem" text,
	"purge" jsonb,
	"check" jsonb
);
--> statement-breakpoint
ALTER TABLE "rented_cdns" ADD CONSTRAINT "rented_cdns_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;