CREATE TABLE "simulations" (
	"id" text PRIMARY KEY NOT NULL,
	"site_id" text NOT NULL,
	"job_id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"order" jsonb NOT NULL,
	"log" text,
	"result" jsonb
);
--> statement-breakpoint
ALTER TABLE "simulations" ADD CONSTRAINT "simulations_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "simulations_site" ON "simulations" USING btree ("site_id","at");