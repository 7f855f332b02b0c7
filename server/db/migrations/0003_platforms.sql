ALTER TYPE "public"."work_kind" ADD VALUE 'discover';--> statement-breakpoint
CREATE TABLE "platform_connection" (
	"organisation_id" text NOT NULL,
	"id" text NOT NULL,
	"site_id" text NOT NULL,
	"address" text NOT NULL,
	"account" text NOT NULL,
	"sealed" text NOT NULL,
	"tried_at" timestamp with time zone,
	"trials" jsonb,
	"discovered_at" bigint,
	"inventory" jsonb,
	"known" jsonb DEFAULT '{"hosts":[],"machines":[]}'::jsonb NOT NULL,
	"left" jsonb DEFAULT '{}'::jsonb NOT NULL,
	CONSTRAINT "platform_connection_organisation_id_id_pk" PRIMARY KEY("organisation_id","id")
);
