CREATE TABLE "object_caches" (
	"site_id" text PRIMARY KEY NOT NULL,
	"settings" jsonb NOT NULL,
	"password_digest" text
);
--> statement-breakpoint
ALTER TABLE "object_caches" ADD CONSTRAINT "object_caches_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;