CREATE TYPE "public"."copy_state" AS ENUM('whole', 'damaged');--> statement-breakpoint
CREATE TYPE "public"."enclave_state" AS ENUM('kept', 'discarded');--> statement-breakpoint
CREATE TYPE "public"."role" AS ENUM('coordinator', 'observer');--> statement-breakpoint
CREATE TYPE "public"."step_state" AS ENUM('waiting', 'running', 'hand', 'done', 'failed', 'skipped');--> statement-breakpoint
CREATE TYPE "public"."work_kind" AS ENUM('copy', 'protect', 'bring-back', 'run', 'history');--> statement-breakpoint
CREATE TYPE "public"."work_state" AS ENUM('waiting', 'running', 'stopping', 'stopped', 'done', 'failed');--> statement-breakpoint
CREATE TABLE "audit" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"organisation_id" text NOT NULL,
	"wall_at" timestamp with time zone DEFAULT now() NOT NULL,
	"model_at" bigint NOT NULL,
	"person_name" text NOT NULL,
	"act" text NOT NULL,
	"subject" text NOT NULL,
	"reason" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "confirmation" (
	"run_id" uuid NOT NULL,
	"service_id" text NOT NULL,
	"by_whom" text NOT NULL,
	"noted_by" text NOT NULL,
	"noted_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "confirmation_run_id_service_id_pk" PRIMARY KEY("run_id","service_id")
);
--> statement-breakpoint
CREATE TABLE "copy" (
	"organisation_id" text NOT NULL,
	"point_id" text NOT NULL,
	"store_id" text NOT NULL,
	"arrived_at" bigint NOT NULL,
	"state" "copy_state" DEFAULT 'whole' NOT NULL,
	"sent_bytes" bigint NOT NULL,
	"stored_bytes" bigint NOT NULL,
	CONSTRAINT "copy_organisation_id_point_id_store_id_pk" PRIMARY KEY("organisation_id","point_id","store_id")
);
--> statement-breakpoint
CREATE TABLE "estate_change" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"organisation_id" text NOT NULL,
	"wall_at" timestamp with time zone DEFAULT now() NOT NULL,
	"model_at" bigint NOT NULL,
	"person_name" text NOT NULL,
	"reason" text NOT NULL,
	"kind" text NOT NULL,
	"item_id" text NOT NULL,
	"before" jsonb,
	"after" jsonb
);
--> statement-breakpoint
CREATE TABLE "estate_item" (
	"organisation_id" text NOT NULL,
	"kind" text NOT NULL,
	"id" text NOT NULL,
	"place" bigint NOT NULL,
	"body" jsonb NOT NULL,
	CONSTRAINT "estate_item_organisation_id_kind_id_pk" PRIMARY KEY("organisation_id","kind","id")
);
--> statement-breakpoint
CREATE TABLE "gate" (
	"work_id" uuid NOT NULL,
	"key" text NOT NULL,
	"operation" jsonb,
	"instant" bigint,
	"result" jsonb,
	CONSTRAINT "gate_work_id_key_pk" PRIMARY KEY("work_id","key")
);
--> statement-breakpoint
CREATE TABLE "lease" (
	"name" text PRIMARY KEY NOT NULL,
	"holder" text NOT NULL,
	"fence" bigint NOT NULL,
	"backend" bigint NOT NULL,
	"heartbeat_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "organisation" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"time_zone" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "person" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"organisation_id" text NOT NULL,
	"sign_in_name" text NOT NULL,
	"name" text NOT NULL,
	"role" "role" NOT NULL,
	"password_hash" text NOT NULL,
	CONSTRAINT "person_sign_in_name_unique" UNIQUE("sign_in_name")
);
--> statement-breakpoint
CREATE TABLE "point" (
	"organisation_id" text NOT NULL,
	"id" text NOT NULL,
	"machine_id" text NOT NULL,
	"captured_at" bigint NOT NULL,
	"nominal_bytes" bigint NOT NULL,
	"data_bytes" bigint NOT NULL,
	"changed_bytes" bigint NOT NULL,
	CONSTRAINT "point_organisation_id_id_pk" PRIMARY KEY("organisation_id","id")
);
--> statement-breakpoint
CREATE TABLE "protected_path" (
	"organisation_id" text NOT NULL,
	"name" text NOT NULL,
	"path" text NOT NULL,
	"store_ids" jsonb NOT NULL,
	CONSTRAINT "protected_path_organisation_id_name_pk" PRIMARY KEY("organisation_id","name")
);
--> statement-breakpoint
CREATE TABLE "run_step" (
	"run_id" uuid NOT NULL,
	"step_id" text NOT NULL,
	"state" "step_state" DEFAULT 'waiting' NOT NULL,
	"started_at" bigint,
	"finished_at" bigint,
	"detail" text DEFAULT '' NOT NULL,
	"substitutions" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"ticked_by" text,
	CONSTRAINT "run_step_run_id_step_id_pk" PRIMARY KEY("run_id","step_id")
);
--> statement-breakpoint
CREATE TABLE "run" (
	"id" uuid PRIMARY KEY NOT NULL,
	"organisation_id" text NOT NULL,
	"number" bigserial NOT NULL,
	"plan" jsonb NOT NULL,
	"by_hand" boolean NOT NULL,
	"enclave" "enclave_state" DEFAULT 'kept' NOT NULL
);
--> statement-breakpoint
CREATE TABLE "schedule" (
	"organisation_id" text NOT NULL,
	"policy_id" text NOT NULL,
	"running" boolean NOT NULL,
	"next_at" bigint,
	CONSTRAINT "schedule_organisation_id_policy_id_pk" PRIMARY KEY("organisation_id","policy_id")
);
--> statement-breakpoint
CREATE TABLE "session" (
	"token_hash" text PRIMARY KEY NOT NULL,
	"person_id" uuid NOT NULL,
	"expires_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "store_access" (
	"organisation_id" text NOT NULL,
	"store_id" text NOT NULL,
	"kind" text NOT NULL,
	"sealed" text NOT NULL,
	CONSTRAINT "store_access_organisation_id_store_id_pk" PRIMARY KEY("organisation_id","store_id")
);
--> statement-breakpoint
CREATE TABLE "work" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"organisation_id" text NOT NULL,
	"kind" "work_kind" NOT NULL,
	"subject" jsonb NOT NULL,
	"state" "work_state" DEFAULT 'waiting' NOT NULL,
	"foreground" boolean NOT NULL,
	"person_name" text NOT NULL,
	"reason" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"began_at" bigint,
	"ended_at" bigint,
	"progress" jsonb DEFAULT '{}'::jsonb NOT NULL,
	"failure" text
);
--> statement-breakpoint
ALTER TABLE "confirmation" ADD CONSTRAINT "confirmation_run_id_run_id_fk" FOREIGN KEY ("run_id") REFERENCES "public"."run"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "gate" ADD CONSTRAINT "gate_work_id_work_id_fk" FOREIGN KEY ("work_id") REFERENCES "public"."work"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "person" ADD CONSTRAINT "person_organisation_id_organisation_id_fk" FOREIGN KEY ("organisation_id") REFERENCES "public"."organisation"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "run_step" ADD CONSTRAINT "run_step_run_id_run_id_fk" FOREIGN KEY ("run_id") REFERENCES "public"."run"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "run" ADD CONSTRAINT "run_id_work_id_fk" FOREIGN KEY ("id") REFERENCES "public"."work"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "session" ADD CONSTRAINT "session_person_id_person_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."person"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "point_by_machine" ON "point" USING btree ("organisation_id","machine_id","captured_at");--> statement-breakpoint
CREATE INDEX "work_by_state" ON "work" USING btree ("state","kind");