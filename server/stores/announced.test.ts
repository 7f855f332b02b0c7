import { Bonjour } from "bonjour-service";
import { expect, it } from "vitest";
import { announcedStores, onNetwork, STORE_SERVICE } from "./announced.ts";

it("offers stores that announce themselves, and nothing else", async () => {
  const bonjour = new Bonjour(onNetwork("127.0.0.1"));
  const name = `Test buckets ${process.pid}`;
  bonjour.publish({ name, type: STORE_SERVICE, port: 4_321, txt: { kind: "bucket", region: "r" }, probe: false });
  bonjour.publish({ name: `Test printer ${process.pid}`, type: STORE_SERVICE, port: 4_322, txt: { kind: "printer" }, probe: false });
  bonjour.publish({ name: `Other ${process.pid}`, type: "http", port: 4_323, txt: { kind: "bucket" }, probe: false });
  const found = (await announcedStores("127.0.0.1", 4_000)).filter((s) => s.name.includes(String(process.pid)));
  await new Promise<void>((done) => bonjour.unpublishAll(() => done()));
  bonjour.destroy();
  expect(found).toEqual([{ name, endpoint: "http://127.0.0.1:4321", region: "r" }]);
}, 15_000);
