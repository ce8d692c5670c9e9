CREATE TABLE "library_pictures" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"path" text NOT NULL,
	"pages" jsonb NOT NULL,
	"file" text,
	"digest" text NOT NULL,
	"validator" jsonb NOT NULL,
	"bytes" integer NOT NULL,
	"width" integer NOT NULL,
	"height" integer NOT NULL,
	"form" text,
	"shown" jsonb NOT NULL,
	"state" text NOT NULL,
	"reason" text,
	"graphic" boolean,
	"variants" jsonb NOT NULL,
	"treatment" text NOT NULL,
	"done_at" timestamp with time zone,
	"placed" jsonb,
	"seen_by" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "media_places" (
	"site_id" text PRIMARY KEY NOT NULL,
	"place" jsonb NOT NULL,
	"secret" text,
	"trial" jsonb
);
--> statement-breakpoint
CREATE TABLE "picture_placings" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"by" text NOT NULL,
	"order" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "picture_plans" (
	"site_id" text PRIMARY KEY NOT NULL,
	"plan" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "picture_surveys" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"result" jsonb
);
--> statement-breakpoint
ALTER TABLE "library_pictures" ADD CONSTRAINT "library_pictures_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "media_places" ADD CONSTRAINT "media_places_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "picture_placings" ADD CONSTRAINT "picture_placings_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "picture_plans" ADD CONSTRAINT "picture_plans_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "picture_surveys" ADD CONSTRAINT "picture_surveys_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "library_pictures_path" ON "library_pictures" USING btree ("site_id","path");--> statement-breakpoint
CREATE INDEX "library_pictures_state" ON "library_pictures" USING btree ("site_id","state");--> statement-breakpoint
CREATE INDEX "picture_surveys_site" ON "picture_surveys" USING btree ("site_id","at");