CREATE TABLE "automatic_certificates" (
	"site_id" text PRIMARY KEY NOT NULL,
	"directory" text NOT NULL,
	"contact" text NOT NULL,
	"challenge" text NOT NULL,
	"external_key_id" text,
	"external_key" text,
	"account_key" text NOT NULL,
	"account_url" text,
	"order_url" text,
	"record" jsonb,
	"answers" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"failures" integer DEFAULT 0 NOT NULL,
	"problem" text,
	"last_try_at" timestamp with time zone,
	"next_try_at" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "automatic_certificates" ADD CONSTRAINT "automatic_certificates_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;