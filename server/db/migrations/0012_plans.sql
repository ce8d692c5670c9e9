CREATE TABLE "plans" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"settings" jsonb NOT NULL,
	"predicted" jsonb NOT NULL,
	"live_at" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "plans" ADD CONSTRAINT "plans_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "plans_site" ON "plans" USING btree ("site_id","at");