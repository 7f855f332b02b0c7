import { runChecks } from "./checks.ts";

/** `npm run check`: types, lint and unit tests. */
await runChecks(["types", "lint"], ["unit"]);
