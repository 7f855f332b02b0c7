import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

/** Names the folder in which one run of the tests keeps all of its own. */
export const TEST_FOLDER = "YPOSTASIS_TEST_FOLDER";

/** Made before the first test and removed after the last, whatever was killed in between. */
export default function makeTestFolder(): () => void {
  const folder = mkdtempSync(join(tmpdir(), "ypo-tests-"));
  process.env[TEST_FOLDER] = folder;
  return () => rmSync(folder, { recursive: true, force: true });
}
