import { runChecks } from "./checks.ts";

/** `npm run check`: types, lint and unit tests. */
if (!(await runChecks(["types", "lint"], ["unit"]))) process.exit(1);
