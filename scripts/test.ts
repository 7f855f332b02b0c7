import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { discardInstallation } from "../e2e/installation.ts";
import { runChecks } from "./checks.ts";
import { ensureInstalled } from "./install.ts";

/** `npm test`: everything, on a machine that may have nothing yet. Touches no demo data. */
ensureInstalled("postgres", "chromium", "skopeo", "s3cmd");
const data = mkdtempSync(join(tmpdir(), "ypo-e2e-"));
process.env["E2E_DATA"] = data;
const stop = async (code: number): Promise<never> => {
  await discardInstallation(data);
  process.exit(code);
};
process.on("SIGINT", () => void stop(130));
process.on("SIGTERM", () => void stop(143));
// The demo that the browser tests visit is made while the other tests run.
await stop((await runChecks(["types", "lint"], ["tests", "installation"], ["browser"])) ? 0 : 1);
