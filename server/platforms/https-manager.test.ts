import type { Server } from "node:https";
import { createServer as createHttp, type Server as HttpServer } from "node:http";
import type { AddressInfo } from "node:net";
import { generate } from "selfsigned";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { readFileSync } from "node:fs";
import { compareDiscovery } from "#core/estate/discovery.ts";
import { readEstate } from "#formats/estate/read-estate.ts";
import { readInventoryFile } from "#standins/platform/inventory-file.ts";
import { managerServer } from "#standins/platform/server.ts";
import { HttpsManager } from "./https-manager.ts";

const platforms = readInventoryFile(readFileSync("demo/platforms.yaml", "utf8"));
const many = { ...platforms.get("skerry-quay")!, machines: Array.from({ length: 5_000 }, (_, i) => ({ ...platforms.get("skerry-quay")!.machines[0]!, id: `m-${String(i).padStart(5, "0")}` })) };
let server: Server;
let plain: HttpServer;
let base: string;
let fingerprint = "";

const manager = (over: Partial<{ name: string; account: string; password: string; fingerprint: string; address: string }> = {}) =>
  new HttpsManager({ kind: "manager", address: over.address ?? `${base}/${over.name ?? "skerry-quay"}`, account: over.account ?? "reader", password: over.password ?? "right:word", fingerprint: over.fingerprint ?? fingerprint });
const outcomes = async (over: Parameters<typeof manager>[0]) => Object.fromEntries((await manager(over).try()).map((t) => [t.what, t.outcome]));

beforeAll(async () => {
  const made = await generate([{ name: "commonName", value: "test" }], { keySize: 2048, algorithm: "sha256" });
  server = managerServer({ key: made.private, cert: made.cert, platforms: new Map([...platforms, ["many", many]]), accounts: new Map([["reader", { password: "right:word", rights: ["inventory"] }], ["visitor", { password: "w", rights: [] }]]) });
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  plain = createHttp((_q, r) => r.end("hello"));
  await new Promise<void>((done) => plain.listen(0, "127.0.0.1", done));
  base = `https://127.0.0.1:${(server.address() as AddressInfo).port}`;
  fingerprint = (await manager({ fingerprint: "" }).try()).find((t) => t.what === "certificate")!.shown!;
});
afterAll(() => {
  server.close();
  server.closeAllConnections();
  plain.close();
});

describe("a platform manager behind HTTPS", () => {
  it("shows its fingerprint to be confirmed, and is good once it was", async () => {
    expect(fingerprint).toMatch(/^([0-9A-F]{2}:){31}[0-9A-F]{2}$/);
    expect(await outcomes({})).toEqual({ reach: "good", certificate: "good", account: "good", right: "good", clock: "good" });
  });

  it("says what is wrong and does not try what hangs on it", async () => {
    const other = fingerprint.replace(/^../, fingerprint.startsWith("00") ? "01" : "00");
    expect(await outcomes({ address: "https://127.0.0.1:9/x" })).toEqual({ reach: "wrong", certificate: "untried", account: "untried", right: "untried", clock: "untried" });
    expect(await outcomes({ fingerprint: other })).toEqual({ reach: "good", certificate: "wrong", account: "untried", right: "untried", clock: "untried" });
    expect(await outcomes({ password: "wrong" })).toEqual({ reach: "good", certificate: "good", account: "wrong", right: "untried", clock: "untried" });
    expect(await outcomes({ account: "visitor", password: "w" })).toEqual({ reach: "good", certificate: "good", account: "good", right: "wrong", clock: "untried" });
    expect(await outcomes({ name: "skerry-yard" })).toEqual({ reach: "good", certificate: "good", account: "good", right: "good", clock: "wrong" });
    const clock = (await manager({ name: "skerry-yard" }).try()).find((t) => t.what === "clock")!;
    expect(clock.words).toContain("3 min 10 s ahead");
    const words = async (over: Parameters<typeof manager>[0]): Promise<string> => (await manager(over).try()).find((t) => t.outcome === "wrong")!.words;
    expect(await words({ address: "https://127.0.0.1:9/x" })).toContain("nothing listens there");
    expect(await words({ address: `https://127.0.0.1:${(plain.address() as AddressInfo).port}/x` })).toContain("does not speak HTTPS");
    expect(await words({ name: "nowhere" })).toContain("is this the address of a platform?");
  });

  it("sends no password before the certificate was held to its fingerprint", async () => {
    const seen: string[] = [];
    const watch = (q: { headers: { authorization?: string | undefined } }): void => void seen.push(q.headers.authorization ?? "");
    server.on("request", watch);
    await manager({ fingerprint: "" }).try();
    server.off("request", watch);
    expect(seen).toEqual([]);
  });

  it("lists five thousand machines page by page", async () => {
    const told: string[] = [];
    const { machines } = await manager({ name: "many" }).inventory((words) => told.push(words));
    expect(machines).toHaveLength(5_000);
    expect(new Set(machines.map((m) => m.id)).size).toBe(5_000);
    expect(told).toHaveLength(10);
    expect(told.at(-1)).toBe("5000 of 5000 machines listed");
  });

  it("lists the demo as it is, and the estate has fallen behind in three places", async () => {
    const { estate } = readEstate(readFileSync("demo/estate.yaml", "utf8"));
    const inventory = await manager().inventory(() => undefined);
    expect(compareDiscovery(estate, inventory, "tern-quay", { hosts: [], machines: [] }).map((f) => [f.id, f.change])).toEqual([
      ["files-office", "changed"],
      ["ticket-sandbox", "appeared"],
      ["print-1", "gone"],
    ]);
  });
});
