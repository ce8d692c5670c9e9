CREATE TABLE "privacy_checks" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"settings_digest" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"made_by" text NOT NULL,
	"state" text NOT NULL,
	"pages" integer NOT NULL,
	"stored" integer NOT NULL,
	"leaks" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "cookies" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "tls_certificate" text;--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "tls_key" text;--> statement-breakpoint
ALTER TABLE "privacy_checks" ADD CONSTRAINT "privacy_checks_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "privacy_checks_site" ON "privacy_checks" USING btree ("site_id","at");