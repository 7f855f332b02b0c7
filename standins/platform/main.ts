import { existsSync } from "node:fs";
import { mkdir, readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { generate } from "selfsigned";
import { readInventoryFile } from "./inventory-file.ts";
import { type ManagerAccount, managerServer } from "./server.ts";

/** Environment: PLATFORM_FOLDER, PLATFORM_INVENTORY, PLATFORM_PORT, PLATFORM_ACCOUNTS (JSON by name). */
const { PLATFORM_FOLDER, PLATFORM_INVENTORY, PLATFORM_PORT, PLATFORM_ACCOUNTS } = process.env;
if (!PLATFORM_FOLDER || !PLATFORM_INVENTORY || !PLATFORM_PORT || !PLATFORM_ACCOUNTS) throw new Error("the platform managers need PLATFORM_FOLDER, PLATFORM_INVENTORY, PLATFORM_PORT and PLATFORM_ACCOUNTS");

/** A certificate of its own, made once for a data folder: whoever connects confirms its fingerprint. */
async function certificate(folder: string): Promise<{ key: string; cert: string }> {
  const path = join(folder, "certificate.json");
  if (!existsSync(path)) {
    await mkdir(folder, { recursive: true });
    const made = await generate([{ name: "commonName", value: "stand-in platform managers" }], { keySize: 2048, algorithm: "sha256" });
    await writeFile(path, JSON.stringify({ key: made.private, cert: made.cert }), { mode: 0o600 });
  }
  return JSON.parse(await readFile(path, "utf8")) as { key: string; cert: string };
}

const accounts = new Map(Object.entries(JSON.parse(PLATFORM_ACCOUNTS) as Record<string, ManagerAccount>));
const server = managerServer({ ...(await certificate(PLATFORM_FOLDER)), platforms: readInventoryFile(await readFile(PLATFORM_INVENTORY, "utf8")), accounts });
server.listen(Number(PLATFORM_PORT), "127.0.0.1", () => process.send?.("ready"));
const stop = (): void => {
  server.close(() => process.exit(0));
  server.closeAllConnections();
};
process.on("SIGTERM", stop);
process.on("SIGINT", stop);
process.on("disconnect", stop);
