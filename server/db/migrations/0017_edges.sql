CREATE TABLE "edges" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"place" jsonb,
	"address" text,
	"port" integer DEFAULT 80 NOT NULL,
	"home_url" text NOT NULL,
	"site_ids" jsonb,
	"when_away" text NOT NULL,
	"token_digest" text,
	"key_digest" text,
	"created_at" timestamp with time zone NOT NULL,
	"joined_at" timestamp with time zone,
	"last_seen_at" timestamp with time zone,
	CONSTRAINT "edges_name_unique" UNIQUE("name")
);
