CREATE TABLE "load_tests" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"by" text NOT NULL,
	"bounds" jsonb NOT NULL,
	"signed_in" boolean NOT NULL,
	"pages" jsonb NOT NULL,
	"mix" text NOT NULL,
	"same_machine" boolean NOT NULL,
	"curves" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "load_tests" ADD CONSTRAINT "load_tests_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "load_tests_site" ON "load_tests" USING btree ("site_id","at");