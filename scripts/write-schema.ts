import { writeFileSync } from "node:fs";
import { ESTATE_SCHEMA } from "#formats/estate/schema.ts";

/** `npm run schema`: publishes the estate schema in docs/. */
writeFileSync("docs/estate.schema.json", `${JSON.stringify(ESTATE_SCHEMA, null, 2)}\n`);
