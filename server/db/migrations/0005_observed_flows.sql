CREATE TABLE "observed_flow" (
	"organisation_id" text NOT NULL,
	"from_machine" text NOT NULL,
	"to_machine" text NOT NULL,
	"protocol" text NOT NULL,
	"port" bigint NOT NULL,
	"connections" bigint NOT NULL,
	"last_seen" bigint NOT NULL,
	CONSTRAINT "observed_flow_organisation_id_from_machine_to_machine_protocol_port_pk" PRIMARY KEY("organisation_id","from_machine","to_machine","protocol","port")
);
