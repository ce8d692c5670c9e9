CREATE TABLE "candidates" (
	"site_id" text PRIMARY KEY NOT NULL,
	"setup" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "culprit_searches" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"made_by" text NOT NULL,
	"culprit_order" jsonb NOT NULL,
	"state" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "guided_runs" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"made_by" text NOT NULL,
	"guided_order" jsonb NOT NULL,
	"state" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "safety_checks" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"made_by" text NOT NULL,
	"safety_order" jsonb NOT NULL,
	"setup_digest" text NOT NULL,
	"pages" jsonb NOT NULL,
	"ended_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "safety_pictures" (
	"check_id" text NOT NULL,
	"page_id" text NOT NULL,
	"visitor_id" text NOT NULL,
	"before" text NOT NULL,
	"after" text NOT NULL,
	CONSTRAINT "safety_pictures_check_id_page_id_visitor_id_pk" PRIMARY KEY("check_id","page_id","visitor_id")
);
--> statement-breakpoint
ALTER TABLE "ledger" ADD COLUMN "setup" jsonb;--> statement-breakpoint
ALTER TABLE "ledger" ADD COLUMN "predicted" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "ledger" ADD COLUMN "safety" jsonb;--> statement-breakpoint
ALTER TABLE "ledger" ADD COLUMN "exceptions" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "ledger" ADD COLUMN "guided_run_id" text;--> statement-breakpoint
ALTER TABLE "measurements" ADD COLUMN "ended_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "sites" ADD COLUMN "trial_key" text DEFAULT replace(gen_random_uuid()::text, '-', '') NOT NULL;--> statement-breakpoint
ALTER TABLE "candidates" ADD CONSTRAINT "candidates_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "culprit_searches" ADD CONSTRAINT "culprit_searches_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "guided_runs" ADD CONSTRAINT "guided_runs_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "safety_checks" ADD CONSTRAINT "safety_checks_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "safety_pictures" ADD CONSTRAINT "safety_pictures_check_id_safety_checks_id_fk" FOREIGN KEY ("check_id") REFERENCES "public"."safety_checks"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "culprit_searches_site" ON "culprit_searches" USING btree ("site_id","at");--> statement-breakpoint
CREATE INDEX "guided_runs_site" ON "guided_runs" USING btree ("site_id","at");--> statement-breakpoint
CREATE INDEX "safety_checks_site" ON "safety_checks" USING btree ("site_id","at");