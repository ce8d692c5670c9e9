CREATE TABLE "file_connections" (
	"site_id" text PRIMARY KEY NOT NULL,
	"place" jsonb NOT NULL,
	"secret" text,
	"trial" jsonb
);
--> statement-breakpoint
CREATE TABLE "rules_placings" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"by" text NOT NULL,
	"order" jsonb NOT NULL,
	"backup" text,
	"result" jsonb
);
--> statement-breakpoint
CREATE TABLE "rehearsals" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"by" text NOT NULL,
	"choice" jsonb NOT NULL,
	"present_checksum" text NOT NULL,
	"rules" text NOT NULL,
	"result" jsonb
);
--> statement-breakpoint
ALTER TABLE "file_connections" ADD CONSTRAINT "file_connections_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rules_placings" ADD CONSTRAINT "rules_placings_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rehearsals" ADD CONSTRAINT "rehearsals_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "rules_placings_site" ON "rules_placings" USING btree ("site_id","at");--> statement-breakpoint
CREATE INDEX "rehearsals_site" ON "rehearsals" USING btree ("site_id","at");