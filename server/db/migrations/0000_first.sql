CREATE TABLE "accounts" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"password_hash" text NOT NULL,
	"created_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "api_tokens" (
	"id" text PRIMARY KEY NOT NULL,
	"account_id" text NOT NULL,
	"name" text NOT NULL,
	"token_digest" text NOT NULL,
	"created_at" timestamp with time zone NOT NULL,
	"last_used_at" timestamp with time zone,
	CONSTRAINT "api_tokens_token_digest_unique" UNIQUE("token_digest")
);
--> statement-breakpoint
CREATE TABLE "event_nonces" (
	"nonce" text PRIMARY KEY NOT NULL,
	"at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "jobs" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"kind" text NOT NULL,
	"title" text NOT NULL,
	"subject_id" text NOT NULL,
	"state" text NOT NULL,
	"done" integer NOT NULL,
	"total" integer NOT NULL,
	"now" text NOT NULL,
	"ms_left" double precision,
	"error" text,
	"cancel_requested" boolean DEFAULT false NOT NULL,
	"created_at" timestamp with time zone NOT NULL,
	"finished_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "ledger" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"made_by" text NOT NULL,
	"kind" text NOT NULL,
	"title" text NOT NULL,
	"changes" jsonb NOT NULL,
	"measurement_id" text,
	"results" jsonb NOT NULL,
	"decision" text NOT NULL,
	"version" integer
);
--> statement-breakpoint
CREATE TABLE "measurements" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"measurement_order" jsonb NOT NULL,
	"live_version" integer NOT NULL,
	"changes" jsonb NOT NULL,
	"setups" jsonb NOT NULL,
	"created_at" timestamp with time zone NOT NULL,
	"made_by" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "requests" (
	"run_id" text NOT NULL,
	"position" integer NOT NULL,
	"record" jsonb NOT NULL,
	CONSTRAINT "requests_run_id_position_pk" PRIMARY KEY("run_id","position")
);
--> statement-breakpoint
CREATE TABLE "runs" (
	"id" text PRIMARY KEY NOT NULL,
	"measurement_id" text NOT NULL,
	"page_id" text NOT NULL,
	"path" text NOT NULL,
	"page_kind" text NOT NULL,
	"visitor_id" text NOT NULL,
	"visitor" jsonb NOT NULL,
	"side" text NOT NULL,
	"visit" text NOT NULL,
	"pair" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"metrics" jsonb,
	"floor_ms" double precision,
	"failure" text
);
--> statement-breakpoint
CREATE TABLE "sample_pages" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"path" text NOT NULL,
	"kind" text NOT NULL,
	"position" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sessions" (
	"token_digest" text PRIMARY KEY NOT NULL,
	"account_id" text NOT NULL,
	"expires_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sitemap_pages" (
	"site_id" text NOT NULL,
	"path" text NOT NULL,
	"kind" text NOT NULL,
	"priority" double precision NOT NULL,
	CONSTRAINT "sitemap_pages_site_id_path_pk" PRIMARY KEY("site_id","path")
);
--> statement-breakpoint
CREATE TABLE "sites" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"address" text NOT NULL,
	"host_header" text NOT NULL,
	"live_host" text NOT NULL,
	"trial_host" text NOT NULL,
	"live_version" integer NOT NULL,
	"event_secret" text NOT NULL,
	"check_result" jsonb NOT NULL,
	"created_at" timestamp with time zone NOT NULL,
	CONSTRAINT "sites_live_host_unique" UNIQUE("live_host"),
	CONSTRAINT "sites_trial_host_unique" UNIQUE("trial_host")
);
--> statement-breakpoint
CREATE TABLE "trials" (
	"site_id" text PRIMARY KEY NOT NULL,
	"setup" jsonb NOT NULL,
	"revision" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "versions" (
	"site_id" text NOT NULL,
	"number" integer NOT NULL,
	"setup" jsonb NOT NULL,
	"note" text NOT NULL,
	"published_at" timestamp with time zone NOT NULL,
	"published_by" text NOT NULL,
	CONSTRAINT "versions_site_id_number_pk" PRIMARY KEY("site_id","number")
);
--> statement-breakpoint
CREATE TABLE "visitors" (
	"id" text NOT NULL,
	"site_id" text NOT NULL,
	"profile" jsonb NOT NULL,
	"position" integer NOT NULL,
	CONSTRAINT "visitors_site_id_id_pk" PRIMARY KEY("site_id","id")
);
--> statement-breakpoint
ALTER TABLE "api_tokens" ADD CONSTRAINT "api_tokens_account_id_accounts_id_fk" FOREIGN KEY ("account_id") REFERENCES "public"."accounts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "jobs" ADD CONSTRAINT "jobs_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "ledger" ADD CONSTRAINT "ledger_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "measurements" ADD CONSTRAINT "measurements_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "requests" ADD CONSTRAINT "requests_run_id_runs_id_fk" FOREIGN KEY ("run_id") REFERENCES "public"."runs"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "runs" ADD CONSTRAINT "runs_measurement_id_measurements_id_fk" FOREIGN KEY ("measurement_id") REFERENCES "public"."measurements"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sample_pages" ADD CONSTRAINT "sample_pages_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sessions" ADD CONSTRAINT "sessions_account_id_accounts_id_fk" FOREIGN KEY ("account_id") REFERENCES "public"."accounts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sitemap_pages" ADD CONSTRAINT "sitemap_pages_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "trials" ADD CONSTRAINT "trials_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "versions" ADD CONSTRAINT "versions_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "visitors" ADD CONSTRAINT "visitors_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "accounts_name" ON "accounts" USING btree (lower("name"));--> statement-breakpoint
CREATE INDEX "jobs_state" ON "jobs" USING btree ("state","created_at");--> statement-breakpoint
CREATE INDEX "ledger_site" ON "ledger" USING btree ("site_id","at");--> statement-breakpoint
CREATE INDEX "measurements_site" ON "measurements" USING btree ("site_id","created_at");--> statement-breakpoint
CREATE INDEX "runs_measurement" ON "runs" USING btree ("measurement_id");