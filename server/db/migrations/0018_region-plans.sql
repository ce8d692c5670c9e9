CREATE TABLE "region_plans" (
	"site_id" text PRIMARY KEY NOT NULL,
	"plan" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "region_plans" ADD CONSTRAINT "region_plans_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;