CREATE TABLE "warm_up_addresses" (
	"site_id" text NOT NULL,
	"target" text NOT NULL,
	"as" text NOT NULL,
	"kind" text NOT NULL,
	"reasons" jsonb NOT NULL,
	"priority" double precision NOT NULL,
	"visits" double precision,
	"listed" boolean NOT NULL,
	"waiting" boolean NOT NULL,
	"insisted" boolean DEFAULT false NOT NULL,
	"last_at" timestamp with time zone,
	"outcome" jsonb,
	"wait_ms" double precision,
	"probability" double precision,
	"saved_ms" double precision,
	CONSTRAINT "warm_up_addresses_site_id_target_pk" PRIMARY KEY("site_id","target")
);
--> statement-breakpoint
CREATE TABLE "warm_up_rounds" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"cause" text NOT NULL,
	"order" jsonb NOT NULL,
	"prepared" boolean NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"ended_at" timestamp with time zone,
	"figures" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "warm_ups" (
	"site_id" text PRIMARY KEY NOT NULL,
	"settings" jsonb NOT NULL,
	"paused" boolean DEFAULT false NOT NULL,
	"listed_at" timestamp with time zone,
	"problem" text,
	"left_out" jsonb DEFAULT '[]'::jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "warm_up_addresses" ADD CONSTRAINT "warm_up_addresses_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "warm_up_rounds" ADD CONSTRAINT "warm_up_rounds_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "warm_ups" ADD CONSTRAINT "warm_ups_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "warm_up_addresses_waiting" ON "warm_up_addresses" USING btree ("site_id","waiting");--> statement-breakpoint
CREATE INDEX "warm_up_rounds_site" ON "warm_up_rounds" USING btree ("site_id","at");