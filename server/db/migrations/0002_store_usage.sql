CREATE TABLE "store_usage" (
	"organisation_id" text NOT NULL,
	"store_id" text NOT NULL,
	"stored_bytes" bigint NOT NULL,
	CONSTRAINT "store_usage_organisation_id_store_id_pk" PRIMARY KEY("organisation_id","store_id")
);
