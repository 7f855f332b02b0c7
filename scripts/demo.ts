import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { closeApplication } from "#server/application.ts";
import { readTruth } from "#standins/world/truth.ts";
import { connectDemoPlatforms, damageOnePoint, DEMO_PAST, describeDemo, platformAddress, runThroughPast } from "../demo/seed.ts";
import { buildIfChanged } from "./build.ts";
import { openMigrated, startSurroundings, type Surroundings, TRUTH } from "./data-folder.ts";
import { ensureInstalled } from "./install.ts";
import { removeCluster } from "./postgres.ts";
import { keepRunning, type Managed } from "./processes.ts";

/** `npm run demo [-- --reset]`: starts the demo, made from nothing the first time. */
const data = resolve(process.env["YPOSTASIS_DATA"] ?? "data/demo");
/** For the browser tests, which need a past but not a week of it. */
const SHORT_PAST = { days: 2, hours: 3 };
const ready = join(data, "ready");
const running = join(data, "running.pid");
let surroundings: Surroundings | undefined;
let web: Managed | undefined;
let stopping: Promise<void> | undefined;

function stop(code: number): Promise<void> {
  stopping ??= (async () => {
    console.log("\nStopping ...");
    await web?.stop();
    await surroundings?.stop();
    rmSync(running, { force: true });
    process.exit(code);
  })();
  return stopping;
}
process.on("SIGINT", () => void stop(0));
process.on("SIGTERM", () => void stop(0));
process.on("SIGHUP", () => void stop(0));
// A terminal that was closed is no reason not to stop cleanly.
for (const stream of [process.stdout, process.stderr]) stream.on("error", () => undefined);

function refuseSecond(): void {
  const pid = existsSync(running) ? Number(readFileSync(running, "utf8")) : 0;
  if (pid === 0 || !isAlive(pid)) return;
  console.error(`The demo runs already (process ${pid}, data in ${data}). Stop it with Ctrl+C there first.`);
  process.exit(1);
}

function forgetData(): void {
  removeCluster(data);
  rmSync(data, { recursive: true, force: true });
}

/** The pid may have been given to another program since; only one that runs this script counts. */
function isAlive(pid: number): boolean {
  try {
    return readFileSync(`/proc/${pid}/cmdline`, "utf8").includes("scripts/demo.ts");
  } catch {
    return false;
  }
}

async function makeDemo(): Promise<void> {
  console.log("Making the demo: an invented organisation and a week of its copies ...");
  const making = (surroundings = await startSurroundings(data, { relaxed: true }));
  const app = await openMigrated(making.settings);
  await describeDemo(app, data, making.secrets);
  const { begins } = readTruth(readFileSync(TRUTH, "utf8"));
  const began = Date.now();
  await runThroughPast(app, begins, (done, of) => {
    // The first round is a whole copy of everything and tells nothing of the later ones.
    process.stdout.write(`\r  ${done} of ${of} moments of the past${done === 1 ? " (the first copies everything)" : ""}, ${Math.round((Date.now() - began) / 1000)} s          `);
  }, process.env["YPOSTASIS_PAST"] === "short" ? SHORT_PAST : DEMO_PAST);
  process.stdout.write(`\r  done in ${Math.round((Date.now() - began) / 1000)} s                          \n`);
  await connectDemoPlatforms(app, making.secrets);
  await damageOnePoint(app, data);
  await closeApplication(app);
  await making.stop();
  writeFileSync(ready, new Date().toISOString());
}

try {
  refuseSecond();
  ensureInstalled("postgres");
  // One that was stopped while it was made is made anew.
  if (process.argv.includes("--reset") || !existsSync(ready)) forgetData();
  mkdirSync(data, { recursive: true });
  writeFileSync(running, String(process.pid));
  await buildIfChanged();
  if (!existsSync(ready)) await makeDemo();
  surroundings = await startSurroundings(data, { relaxed: false });
  await closeApplication(await openMigrated(surroundings.settings));
  const { secrets, settings } = surroundings;
  web = await keepRunning("The server", "server/main.ts", {
    NODE_ENV: "production",
    DATABASE_URL: settings.databaseUrl,
    WORLD_ADDRESS: settings.worldAddress,
    WORLD_TOKEN: settings.worldToken,
    KEY_FILE: settings.keyFile,
    PORT: String(secrets.webPort),
    // The demo looks for stores on this machine only.
    DNS_SD_NETWORK: "127.0.0.1",
  });
  console.log(`\nYpostasis: http://127.0.0.1:${secrets.webPort}\n`);
  for (const s of secrets.signIns) console.log(`  sign in as ${s.name.padEnd(12)} with ${s.password}   (${s.role === "coordinator" ? "may act" : "may look"}${s.organisation ? `, for ${s.organisation} only` : ""})`);
  console.log(`  a platform to connect: ${platformAddress(secrets, "holm-yard")} as reader with ${secrets.platformAccounts["reader"]!.password}`);
  console.log(`\nCtrl+C stops everything. Data lies in ${data}; npm run demo -- --reset begins anew.`);
} catch (error) {
  console.error(`The demo could not be started: ${error instanceof Error ? error.message : String(error)}`);
  await stop(1);
}
