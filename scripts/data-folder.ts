import { randomBytes } from "node:crypto";
import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import type { Application, Settings } from "#server/application.ts";
import { openApplication } from "#server/application.ts";
import { migrateToNewest } from "#server/db/connect.ts";
import { keepRunning, type Managed } from "./processes.ts";
import { type Cluster, freePort, startCluster, stopCluster } from "./postgres.ts";

/** What is invented once for a data folder: ports, tokens, accounts, sign-ins. */
export type FolderSecrets = {
  webPort: number;
  worldPort: number;
  bucketPort: number;
  worldToken: string;
  bucketKey: string;
  bucketSecret: string;
  platformPort: number;
  /** Accounts of the stand-in platform managers by name; one of them lacks the right to list. */
  platformAccounts: Record<string, { password: string; rights: string[] }>;
  /** Ports of the stand-in name, time and mail servers. */
  surroundPorts: { names: number; clock: number; mail: number };
  /** The account by which sign-in checks sign in to stand-in services. */
  checkAccount: { name: string; password: string };
  signIns: { name: string; role: "coordinator" | "observer"; password: string; person: string; organisation?: string }[];
};

const ANSWERS = resolve("demo/answers.yaml");
const INVENTORY = resolve("demo/platforms.yaml");
export const TRUTH = resolve("demo/world.yaml");

export async function folderSecrets(data: string): Promise<FolderSecrets> {
  const path = join(data, "secrets.json");
  const kept = existsSync(path) ? (JSON.parse(readFileSync(path, "utf8")) as FolderSecrets) : undefined;
  if (kept?.surroundPorts) return kept;
  mkdirSync(data, { recursive: true });
  const word = (): string => randomBytes(9).toString("base64url");
  const accounts: FolderSecrets["platformAccounts"] = { reader: { password: word(), rights: ["inventory", "run-inside"] }, lander: { password: word(), rights: ["inventory", "make-machines"] }, visitor: { password: word(), rights: [] } };
  const secrets: FolderSecrets = {
    webPort: await freePort(),
    worldPort: await freePort(),
    bucketPort: await freePort(),
    worldToken: randomBytes(24).toString("base64url"),
    bucketKey: `YPO${randomBytes(6).toString("hex").toUpperCase()}`,
    bucketSecret: randomBytes(24).toString("base64url"),
    platformPort: await freePort(),
    surroundPorts: { names: await freePort(), clock: await freePort(), mail: await freePort() },
    checkAccount: { name: "probe", password: word() },
    signIns: [
      { name: "coordinator", role: "coordinator", password: word(), person: "R. Coordinator" },
      { name: "observer", role: "observer", password: word(), person: "O. Observer" },
      { name: "skipper", role: "coordinator", password: word(), person: "S. Skipper", organisation: "kelp-row" },
    ],
    // A folder from before keeps everything that was invented for it.
    ...kept,
    // Accounts gain rights as the managers learn to do more; their passwords stay.
    platformAccounts: Object.fromEntries(Object.entries(accounts).map(([name, account]) => [name, { ...account, password: kept?.platformAccounts?.[name]?.password ?? account.password }])),
  };
  writeFileSync(path, JSON.stringify(secrets, null, 2), { mode: 0o600 });
  return secrets;
}

export type Surroundings = { data: string; cluster: Cluster; secrets: FolderSecrets; settings: Settings; world: Managed; bucket: Managed; platforms: Managed; services: Managed | null; stop: () => Promise<void> };

/** Starts the database and the stand-ins of a data folder; without the services where `answers` is null. */
export async function startSurroundings(data: string, options: { relaxed: boolean; truth?: string; inventory?: string; answers?: string | null }): Promise<Surroundings> {
  const secrets = await folderSecrets(data);
  const cluster = await startCluster(data);
  const relaxed = options.relaxed ? "1" : "0";
  const [world, bucket, platforms, services] = await Promise.all([
    keepRunning("The stand-in world", "standins/world/main.ts", { WORLD_FOLDER: join(data, "world"), WORLD_TRUTH: options.truth ?? TRUTH, WORLD_PORT: String(secrets.worldPort), WORLD_TOKEN: secrets.worldToken, WORLD_RELAXED: relaxed }),
    keepRunning("The bucket server", "standins/bucket/main.ts", { BUCKET_FOLDER: join(data, "buckets"), BUCKET_PORT: String(secrets.bucketPort), BUCKET_KEY: secrets.bucketKey, BUCKET_SECRET: secrets.bucketSecret, BUCKET_RELAXED: relaxed, BUCKET_NAME: "Fulmar buckets" }),
    keepRunning("The platform managers", "standins/platform/main.ts", { PLATFORM_FOLDER: join(data, "platforms"), PLATFORM_INVENTORY: options.inventory ?? INVENTORY, PLATFORM_PORT: String(secrets.platformPort), PLATFORM_ACCOUNTS: JSON.stringify(secrets.platformAccounts) }),
    options.answers === null ? null : keepRunning("The stand-in services", "standins/services/main.ts", { SERVICES_FILE: options.answers ?? ANSWERS, SERVICES_PORTS: JSON.stringify(secrets.surroundPorts), SERVICES_ACCOUNT: JSON.stringify(secrets.checkAccount) }),
  ]);
  const settings: Settings = { databaseUrl: cluster.url, worldAddress: `http://127.0.0.1:${secrets.worldPort}`, worldToken: secrets.worldToken, keyFile: join(data, "secret.key"), relaxed: options.relaxed };
  const stop = async (): Promise<void> => {
    await Promise.all([world.stop(), bucket.stop(), platforms.stop(), services?.stop()]);
    stopCluster(cluster);
  };
  return { data, cluster, secrets, settings, world, bucket, platforms, services, stop };
}

export async function openMigrated(settings: Settings): Promise<Application> {
  const app = await openApplication(settings, (line) => console.error(line));
  await migrateToNewest(app.connection);
  return app;
}
