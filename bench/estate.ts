import { spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import type { AddressInfo } from "node:net";
import { generate } from "selfsigned";
import { compareDiscovery } from "#core/estate/discovery.ts";
import { readEstate } from "#formats/estate/read-estate.ts";
import { HttpsManager } from "#server/platforms/https-manager.ts";
import { managerServer } from "#standins/platform/server.ts";
import { once } from "node:events";
import { createWriteStream } from "node:fs";
import { join } from "node:path";
import { finished } from "node:stream/promises";
import { eq } from "drizzle-orm";
import { readCsv } from "#formats/table/read-csv.ts";
import { acceptImport, previewImport } from "#server/acts/estate.ts";
import type { Application } from "#server/application.ts";
import { estateItems } from "#server/db/schema.ts";
import { readEstateView } from "../app/routes/estate/queries.ts";
import { AT, withDemoEstate } from "./demo-database.ts";
import type { Figure } from "./figure.ts";

const MACHINES = 20_000;
const HEADS = "machine,host,cores,memory,disk size,disk used,remark";
const row = (i: number, remark: string): string => `box-${i},${i % 2 ? "tq-1" : "gy-1"},2,4 GiB,40 GiB,20 GiB,${remark}`;

async function seconds(act: () => Promise<unknown>): Promise<number> {
  const began = process.hrtime.bigint();
  await act();
  return Number(process.hrtime.bigint() - began) / 1e9;
}

/** Twenty thousand machines: brought in, looked at, and brought in from a file of 100 MB. */
export async function benchEstate(folder: string, report: (figure: Figure) => void): Promise<void> {
  await withDemoEstate(join(folder, "estate"), async (connection, estate) => {
    const { db } = connection;
    const organisationId = estate.organisation.id;
    const context = { app: { connection, world: { now: async () => AT } } as unknown as Application, person: { id: "", name: "bench", role: "coordinator" as const, organisationId } };
    const bytes = new TextEncoder().encode([HEADS, ...Array.from({ length: MACHINES }, (_, i) => row(i, ""))].join("\n"));
    const table = { form: "table" as const, bytes, kind: "machines" as const, mapping: null };
    const parsing = await seconds(async () => {
      const rows = readCsv(bytes);
      while (!(await rows.next()).done);
    });
    const whole = await seconds(async () => {
      const { base } = await previewImport(context, table);
      await acceptImport(context, table, base, "bench");
    });
    report({ name: "import of 20,000 machines", unit: "s", value: whole, reference: parsing, ratio: whole / parsing, meaning: "shown, accepted, checked and in the database, over parsing the CSV alone" });
    const bare = (): Promise<unknown> => db.select().from(estateItems).where(eq(estateItems.organisationId, organisationId));
    const page = (): Promise<unknown> => readEstateView(context.app, organisationId, { at: null, lost: [] }, "machines", null);
    await bare();
    await page();
    const [reference, value] = [Math.min(await seconds(bare), await seconds(bare)), Math.min(await seconds(page), await seconds(page))];
    report({ name: "estate page, 20,000 machines", unit: "s", value, reference, ratio: value / reference, meaning: "server time of the page's data over the bare query" });
  });
  await benchDiscovery(report);
  const [narrow, wide] = [await csvFile(join(folder, "narrow.csv"), 0), await csvFile(join(folder, "wide.csv"), 5_000)];
  const [small, large] = [peakMib(narrow), peakMib(wide)];
  report({ name: "peak memory, CSV of 100 MB", unit: "MiB", value: large, reference: small, ratio: large / small, meaning: "20,000 machines with long remarks over the same without; the file itself is 95 MiB of it" });
}

const DISCOVERED = 5_000;

/** Five thousand machines listed over HTTPS, checked and compared with an estate that has half of them. */
async function benchDiscovery(report: (figure: Figure) => void): Promise<void> {
  const made = await generate([{ name: "commonName", value: "bench" }], { keySize: 2048, algorithm: "sha256" });
  const machines = Array.from({ length: DISCOVERED }, (_, i) => ({ id: `box-${String(i).padStart(5, "0")}`, name: `box-${i}`, host: "tq-1", cores: 2 + (i % 3), memory: 2 ** 32, disks: [{ id: "system", size: 2 ** 36 }], attached: [], running: true }));
  const platform = { family: "skerry", version: "1", can: [], converts: [], clockOff: 0, landing: null, flows: [], inside: new Map(), hosts: [{ id: "tq-1", name: "Quay 1", cores: 64, memory: 2 ** 39, pools: [{ id: "pool", size: 2 ** 43 }] }], networks: [], machines };
  const server = managerServer({ key: made.private, cert: made.cert, platforms: new Map([["p", platform]]), accounts: new Map([["reader", { password: "w", rights: ["inventory"] }]]) });
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  const access = { kind: "manager" as const, address: `https://127.0.0.1:${(server.address() as AddressInfo).port}/p`, account: "reader", password: "w", fingerprint: "" };
  access.fingerprint = (await new HttpsManager(access).try()).find((t) => t.shown)!.shown!;
  const { estate } = readEstate(readFileSync("demo/estate.yaml", "utf8"));
  for (const m of machines.slice(0, DISCOVERED / 2)) estate.machines.push({ ...estate.machines[0]!, ...m, cores: 2, disks: [{ id: "system", size: 2 ** 36, used: 0 }] });
  const text = JSON.stringify(machines);
  const reference = await seconds(async () => JSON.parse(text) as unknown);
  let longest = 0;
  let last = performance.now();
  // How long nothing else could run: what somebody else's page would wait for.
  const watch = setInterval(() => {
    longest = Math.max(longest, performance.now() - last - 5);
    last = performance.now();
  }, 5);
  const value = await seconds(async () => compareDiscovery(estate, await new HttpsManager(access).inventory(() => undefined), "tern-quay", { hosts: [], machines: [] }));
  clearInterval(watch);
  server.close();
  server.closeAllConnections();
  report({ name: "discovery of 5,000 machines", unit: "s", value, reference, ratio: value / reference, meaning: "listed over HTTPS, checked and compared, over parsing the same list once" });
  report({ name: "longest standstill meanwhile", unit: "ms", value: longest, reference: 100, ratio: longest / 100, meaning: "against a tenth of a second, which people take for at once (common practice)" });
}

async function csvFile(path: string, remarkBytes: number): Promise<string> {
  const out = createWriteStream(path);
  out.write(`${HEADS}\n`);
  const remark = `"${"berth, ".repeat(Math.floor(remarkBytes / 7))}"`;
  for (let i = 0; i < MACHINES; i++) if (!out.write(`${row(i, remark)}\n`)) await once(out, "drain");
  out.end();
  await finished(out);
  return path;
}

/** In a process of its own, whose peak memory is its own. */
function peakMib(path: string): number {
  const { stdout, stderr, status } = spawnSync(process.execPath, ["scripts/run.mjs", "bench/table-once.ts", path], { encoding: "utf8" });
  if (status !== 0) throw new Error(`reading the table failed: ${stderr}`);
  return (JSON.parse(stdout) as { peakMib: number }).peakMib;
}
