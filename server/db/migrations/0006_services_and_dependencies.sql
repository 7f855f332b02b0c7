CREATE TABLE "check_account" (
	"organisation_id" text NOT NULL,
	"service_id" text NOT NULL,
	"sealed" text NOT NULL,
	CONSTRAINT "check_account_organisation_id_service_id_pk" PRIMARY KEY("organisation_id","service_id")
);
--> statement-breakpoint
CREATE TABLE "check_trial" (
	"organisation_id" text NOT NULL,
	"service_id" text NOT NULL,
	"tried_at" bigint NOT NULL,
	"trials" jsonb NOT NULL,
	CONSTRAINT "check_trial_organisation_id_service_id_pk" PRIMARY KEY("organisation_id","service_id")
);
--> statement-breakpoint
CREATE TABLE "dismissed_proposal" (
	"organisation_id" text NOT NULL,
	"key" text NOT NULL,
	"seen" text NOT NULL,
	"reason" text NOT NULL,
	"person_name" text NOT NULL,
	"model_at" bigint NOT NULL,
	CONSTRAINT "dismissed_proposal_organisation_id_key_pk" PRIMARY KEY("organisation_id","key")
);
--> statement-breakpoint
CREATE TABLE "setup_address" (
	"organisation_id" text NOT NULL,
	"what" text NOT NULL,
	"address" text NOT NULL,
	"tried_at" timestamp with time zone,
	"good" boolean,
	"words" text,
	CONSTRAINT "setup_address_organisation_id_what_pk" PRIMARY KEY("organisation_id","what")
);
--> statement-breakpoint
ALTER TABLE "observed_flow" ADD COLUMN "source" text DEFAULT 'table' NOT NULL;--> statement-breakpoint
ALTER TABLE "observed_flow" DROP CONSTRAINT "observed_flow_organisation_id_from_machine_to_machine_protocol_port_pk";--> statement-breakpoint
ALTER TABLE "observed_flow" ADD CONSTRAINT "observed_flow_organisation_id_source_from_machine_to_machine_protocol_port_pk" PRIMARY KEY("organisation_id","source","from_machine","to_machine","protocol","port");--> statement-breakpoint
-- A service had one check and nothing written down of its impact, hours and contacts.
UPDATE "estate_item" SET "body" = ("body" - 'check') || jsonb_build_object('checks', jsonb_build_array("body"->'check'), 'impact', '[]'::jsonb, 'hours', '[]'::jsonb, 'contacts', '[]'::jsonb) WHERE "kind" = 'services' AND "body" ? 'check';--> statement-breakpoint
UPDATE "estate_change" SET "before" = ("before" - 'check') || jsonb_build_object('checks', jsonb_build_array("before"->'check'), 'impact', '[]'::jsonb, 'hours', '[]'::jsonb, 'contacts', '[]'::jsonb) WHERE "kind" = 'services' AND "before" ? 'check';--> statement-breakpoint
UPDATE "estate_change" SET "after" = ("after" - 'check') || jsonb_build_object('checks', jsonb_build_array("after"->'check'), 'impact', '[]'::jsonb, 'hours', '[]'::jsonb, 'contacts', '[]'::jsonb) WHERE "kind" = 'services' AND "after" ? 'check';
