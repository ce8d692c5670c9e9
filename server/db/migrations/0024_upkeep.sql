CREATE TABLE "backup_places" (
	"site_id" text PRIMARY KEY NOT NULL,
	"place" jsonb NOT NULL,
	"secret" text,
	"trial" jsonb
);
--> statement-breakpoint
CREATE TABLE "clean_ups" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"by" text NOT NULL,
	"order" jsonb NOT NULL,
	"backup_id" text NOT NULL,
	"progress" jsonb NOT NULL,
	"wait_before" jsonb,
	"space_before" jsonb,
	"result" jsonb,
	"restored" text
);
--> statement-breakpoint
CREATE TABLE "database_backups" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"by" text NOT NULL,
	"stage" text NOT NULL,
	"file" text NOT NULL,
	"written" jsonb,
	"tables" jsonb NOT NULL,
	"proof" jsonb
);
--> statement-breakpoint
CREATE TABLE "database_connections" (
	"site_id" text PRIMARY KEY NOT NULL,
	"place" jsonb NOT NULL,
	"secret" text,
	"allows" text NOT NULL,
	"trial" jsonb
);
--> statement-breakpoint
CREATE TABLE "database_restores" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"by" text NOT NULL,
	"order" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "database_surveys" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"result" jsonb
);
--> statement-breakpoint
CREATE TABLE "upkeep_plans" (
	"site_id" text PRIMARY KEY NOT NULL,
	"plan" jsonb NOT NULL,
	"recipient" text NOT NULL,
	"identity" text NOT NULL
);
--> statement-breakpoint
ALTER TABLE "backup_places" ADD CONSTRAINT "backup_places_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "clean_ups" ADD CONSTRAINT "clean_ups_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "database_backups" ADD CONSTRAINT "database_backups_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "database_connections" ADD CONSTRAINT "database_connections_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "database_restores" ADD CONSTRAINT "database_restores_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "database_surveys" ADD CONSTRAINT "database_surveys_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "upkeep_plans" ADD CONSTRAINT "upkeep_plans_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "clean_ups_site" ON "clean_ups" USING btree ("site_id","at");--> statement-breakpoint
CREATE INDEX "database_backups_site" ON "database_backups" USING btree ("site_id","at");--> statement-breakpoint
CREATE INDEX "database_surveys_site" ON "database_surveys" USING btree ("site_id","at");