ALTER TABLE "database_connections" ADD COLUMN "use" text DEFAULT 'site' NOT NULL;--> statement-breakpoint
ALTER TABLE "database_connections" DROP CONSTRAINT "database_connections_pkey";--> statement-breakpoint
ALTER TABLE "database_connections" ADD CONSTRAINT "database_connections_site_id_use_pk" PRIMARY KEY("site_id","use");
