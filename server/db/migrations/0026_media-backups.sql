CREATE TABLE "media_backup_files" (
	"site_id" text NOT NULL,
	"file" text NOT NULL,
	"bytes" bigint NOT NULL,
	"sha256" text NOT NULL,
	"stored" text NOT NULL,
	"gone_at" timestamp with time zone,
	CONSTRAINT "media_backup_files_site_id_file_pk" PRIMARY KEY("site_id","file")
);
--> statement-breakpoint
ALTER TABLE "database_backups" ADD COLUMN "media" jsonb;--> statement-breakpoint
ALTER TABLE "media_backup_files" ADD CONSTRAINT "media_backup_files_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;