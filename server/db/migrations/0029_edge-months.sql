CREATE TABLE "edge_months" (
	"edge_id" text NOT NULL,
	"site_id" text NOT NULL,
	"month" text NOT NULL,
	"began_at" timestamp with time zone NOT NULL,
	"requests" bigint NOT NULL,
	"bytes" bigint NOT NULL,
	"read_since" bigint NOT NULL,
	"read_requests" bigint NOT NULL,
	"read_bytes" bigint NOT NULL,
	"read_at" timestamp with time zone NOT NULL,
	CONSTRAINT "edge_months_edge_id_site_id_month_pk" PRIMARY KEY("edge_id","site_id","month")
);
--> statement-breakpoint
ALTER TABLE "edge_months" ADD CONSTRAINT "edge_months_edge_id_edges_id_fk" FOREIGN KEY ("edge_id") REFERENCES "public"."edges"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "edge_months" ADD CONSTRAINT "edge_months_site_id_sites_id_fk" FOREIGN KEY ("site_id") REFERENCES "public"."sites"("id") ON DELETE cascade ON UPDATE no action;