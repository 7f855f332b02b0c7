import { runChecks } from "./checks.ts";
import { ensureInstalled } from "./install.ts";

/** `npm test`: everything, on a machine that may have nothing yet. Touches no demo data. */
ensureInstalled("postgres", "chromium", "skopeo", "s3cmd");
await runChecks(["types", "lint"], ["tests"], ["browser"]);
