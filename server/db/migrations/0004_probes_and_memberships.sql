CREATE TABLE "membership" (
	"person_id" uuid NOT NULL,
	"organisation_id" text NOT NULL,
	"role" "role" NOT NULL,
	CONSTRAINT "membership_person_id_organisation_id_pk" PRIMARY KEY("person_id","organisation_id")
);
--> statement-breakpoint
ALTER TABLE "session" ADD COLUMN "organisation_id" text;--> statement-breakpoint
ALTER TABLE "store_access" ADD COLUMN "address" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "store_access" ADD COLUMN "tried_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "store_access" ADD COLUMN "probe" jsonb;--> statement-breakpoint
ALTER TABLE "membership" ADD CONSTRAINT "membership_person_id_person_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."person"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "membership" ADD CONSTRAINT "membership_organisation_id_organisation_id_fk" FOREIGN KEY ("organisation_id") REFERENCES "public"."organisation"("id") ON DELETE no action ON UPDATE no action;