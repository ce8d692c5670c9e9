CREATE TABLE "server_page_files" (
	"site_id" text NOT NULL,
	"path" text NOT NULL,
	"digest" text NOT NULL,
	"bytes" integer NOT NULL,
	CONSTRAINT "server_page_files_site_id_path_pk" PRIMARY KEY("site_id","path")
);
--> statement-breakpoint
CREATE TABLE "server_pages" (
	"site_id" text PRIMARY KEY NOT NULL,
	"settings" jsonb NOT NULL,
	"last" jsonb,
	"good_until" text,
	"waiting" jsonb,
	"by" text NOT NULL
);
--> statement-breakpoint
ALTER TABLE "server_page_files" ADD CONSTRAINT "server_page_files_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "server_pages" ADD CONSTRAINT "server_pages_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;