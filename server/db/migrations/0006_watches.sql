CREATE TABLE "watches" (
	"site_id" text PRIMARY KEY NOT NULL,
	"enabled" boolean NOT NULL,
	"lifetimes" text DEFAULT 'short' NOT NULL,
	"at" timestamp with time zone,
	"found_at" timestamp with time zone,
	"works" boolean NOT NULL,
	"problem" text,
	"sources" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "watches" ADD CONSTRAINT "watches_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;