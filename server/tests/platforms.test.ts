import { cp, mkdir, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { and, eq } from "drizzle-orm";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { copyNow } from "../acts/copies.ts";
import { askForDiscovery, connectPlatform, forgetPlatform, leaveFindings, takeInFindings, tryPlatform } from "../acts/platforms.ts";
import { reachStore, tryStore } from "../acts/stores.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { audit, copies, platformConnections, storeAccess, works } from "../db/schema.ts";
import { estateVersion } from "../estate/last-change.ts";
import type { ManagerAccess } from "../platforms/manager.ts";
import { CannotError, RefusedError } from "../people/roles.ts";
import { readPlatform } from "../platforms/platform-view.ts";
import { kill, ORGANISATION, startTrial, type Trial, workEnded } from "./trial.ts";

let trial: Trial;
beforeAll(async () => {
  trial = await startTrial();
});
afterAll(() => trial.close());

const db = (): Trial["app"]["connection"]["db"] => trial.app.connection.db;
const context = () => ({ app: trial.app, person: trial.coordinator });
const manager = (over: Partial<Extract<ManagerAccess, { kind: "manager" }>> = {}): ManagerAccess => ({
  kind: "manager",
  address: `https://127.0.0.1:${trial.around.secrets.platformPort}/quay`,
  account: "reader",
  password: trial.around.secrets.platformAccounts["reader"]!.password,
  fingerprint: "",
  ...over,
});
const connect = (access: ManagerAccess) => connectPlatform(context(), { id: "quay", site: "quay", access, reason: "a test" });
const view = async () => (await readPlatform(trial.app, ORGANISATION, "quay"))!;
const base = () => estateVersion(db(), ORGANISATION);
const discovered = async (): Promise<void> => {
  await askForDiscovery(context(), "quay");
  const worker = await trial.worker();
  await workEnded(trial);
  await kill(worker);
};

describe("platforms", () => {
  it("are connected only once they were confirmed and tried, and keep their password sealed", async () => {
    const asked = await connect(manager());
    const fingerprint = "confirm" in asked ? asked.confirm : "";
    expect(fingerprint).toMatch(/^([0-9A-F]{2}:){31}/);
    await expect(connect(manager({ fingerprint, password: "guess" }))).rejects.toThrow(/the account reader is refused/);
    await expect(connect(manager({ fingerprint: fingerprint.replace(/.$/, (c) => (c === "0" ? "1" : "0")) }))).rejects.toThrow(/somebody stands in between/);
    await expect(connectPlatform(context(), { id: "quay", site: "nowhere", access: manager({ fingerprint }), reason: "a test" })).rejects.toThrow(/Choose the site/);
    expect(await db().select().from(platformConnections)).toEqual([]);
    await expect(connectPlatform({ app: trial.app, person: trial.observer }, { id: "quay", site: "quay", access: manager({ fingerprint }), reason: "x" })).rejects.toThrow(RefusedError);
    await connect(manager({ fingerprint }));
    const everything = JSON.stringify([await db().select().from(platformConnections), await db().select().from(audit), await view()]);
    expect(everything).not.toContain(trial.around.secrets.platformAccounts["reader"]!.password);
    expect((await tryPlatform(context(), "quay")).every((t) => t.outcome === "good")).toBe(true);
  });

  it("are discovered by whoever leads; findings are taken in for the estate they were shown for", async () => {
    await discovered();
    const shown = await view();
    expect(shown.findings.map((f) => `${f.id} ${f.change}`)).toEqual(["app-1 changed", "extra-1 appeared", "ledger-1 gone"]);
    await expect(takeInFindings(context(), { platform: "quay", keys: ["machines/app-1"], base: shown.base - 1, reason: "late" })).rejects.toThrow(/has changed since/);
    await takeInFindings(context(), { platform: "quay", keys: ["machines/app-1", "machines/ledger-1"], base: shown.base, reason: "as discovered" });
    const estate = (await loadEstate(db(), ORGANISATION))!;
    expect(estate.machines.find((m) => m.id === "app-1")).toMatchObject({ memory: 24 * 2 ** 30, boot: 60 });
    expect(estate.machines.find((m) => m.id === "ledger-1")!.gone).toBeDefined();
    // What is gone is copied no more.
    const { asked } = await copyNow(context(), { policy: "all", reason: "to see who is asked" });
    expect(asked.sort()).toEqual(["app-1", "feed-1", "giant-1", "names-1"]);
    await db().delete(works).where(eq(works.kind, "copy"));
  });

  it("what was left is not asked about again until it is another", async () => {
    await leaveFindings(context(), { platform: "quay", keys: ["machines/extra-1"], reason: "only for a day" });
    expect((await view()).findings).toEqual([]);
    expect((await view()).left).toMatchObject([{ id: "extra-1", reason: "only for a day" }]);
    const [row] = await db().select().from(platformConnections);
    await db().update(platformConnections).set({ inventory: { ...row!.inventory!, machines: row!.inventory!.machines.filter((m) => m.id !== "names-1") } });
    expect((await view()).findings.map((f) => `${f.id} ${f.change}`)).toEqual(["names-1 gone"]);
    await discovered();
    expect((await view()).findings).toEqual([]);
    await forgetPlatform(context(), "quay");
    await expect(tryPlatform(context(), "quay")).rejects.toThrow(CannotError);
  });

  it("may be a folder of disk images with descriptors, one to one", async () => {
    const path = join(trial.data, "images");
    await mkdir(join(path, "kiosk"), { recursive: true });
    const ovf = (id: string): string => `<?xml version="1.0"?>
<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1" xmlns:rasd="http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData">
  <References><File ovf:id="f1" ovf:href="${id}.img"/></References>
  <DiskSection><Info/><Disk ovf:diskId="d1" ovf:fileRef="f1" ovf:capacity="10" ovf:capacityAllocationUnits="byte * 2^30"/></DiskSection>
  <VirtualSystem ovf:id="${id}"><Info/><Name>${id}</Name><VirtualHardwareSection><Info/>
    <Item><rasd:InstanceID>1</rasd:InstanceID><rasd:ResourceType>3</rasd:ResourceType><rasd:VirtualQuantity>2</rasd:VirtualQuantity></Item>
    <Item><rasd:InstanceID>2</rasd:InstanceID><rasd:ResourceType>4</rasd:ResourceType><rasd:AllocationUnits>byte * 2^20</rasd:AllocationUnits><rasd:VirtualQuantity>2048</rasd:VirtualQuantity></Item>
    <Item><rasd:InstanceID>3</rasd:InstanceID><rasd:ResourceType>17</rasd:ResourceType><rasd:HostResource>ovf:/disk/d1</rasd:HostResource></Item>
  </VirtualHardwareSection></VirtualSystem>
</Envelope>`;
    const folder = (host = "y1") => connectPlatform(context(), { id: "quay", site: "", access: { kind: "image-folder", path, host }, reason: "exports" });
    await expect(folder()).rejects.toThrow(/holds no OVF descriptor/);
    await writeFile(join(path, "kiosk", "kiosk.ovf"), ovf("kiosk-1"));
    await expect(folder()).rejects.toThrow(/kiosk-1.img: the images are named there and cannot be read/);
    await writeFile(join(path, "kiosk", "kiosk-1.img"), Buffer.alloc(4_096, 7));
    await expect(folder("q9")).rejects.toThrow(/Choose the host/);
    await folder();
    await discovered();
    expect((await view()).findings.map((f) => `${f.id} ${f.change}`)).toEqual(["kiosk-1 appeared"]);
    expect((await view()).images).toEqual([{ id: "kiosk-1", folder: join(path, "kiosk") }]);
    await takeInFindings(context(), { platform: "quay", keys: ["machines/kiosk-1"], base: await base(), reason: "exported" });
    expect((await loadEstate(db(), ORGANISATION))!.machines.find((m) => m.id === "kiosk-1")).toMatchObject({ host: "y1", cores: 2, memory: 2 ** 31, disks: [{ size: 10 * 2 ** 30 }] });
    // The host's other machines are none of the folder's business.
    expect((await view()).findings).toEqual([]);
    await writeFile(join(path, "evil.ovf"), ovf("x").replace("<?xml version=\"1.0\"?>", '<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b SYSTEM "file:///etc/passwd">]>'));
    await askForDiscovery(context(), "quay");
    const worker = await trial.worker();
    await workEnded(trial);
    await kill(worker);
    expect((await view()).work).toMatchObject({ state: "failed", failure: expect.stringContaining("evil.ovf, line 1: a document type is not taken") as string });
  });
});

describe("stores", () => {
  it("are reached elsewhere only where their points lie, and then nothing is sent again", async () => {
    await copyNow(context(), { policy: "all", machines: ["names-1"], reason: "something to lose" });
    const worker = await trial.worker();
    await workEnded(trial);
    const [before] = await db().select().from(copies).where(and(eq(copies.organisationId, ORGANISATION), eq(copies.storeId, "yard-disks")));
    expect(before!.sentBytes).toBeGreaterThan(0);
    const moved = join(trial.data, "moved");
    await mkdir(moved);
    const reach = () => reachStore(context(), { store: "yard-disks", access: { kind: "folder", path: moved }, reason: "a new share" });
    await expect(reach()).rejects.toThrow(/1 point lies in Yard disks, and what answers at this address does not hold/);
    await expect(reachStore(context(), { store: "yard-disks", access: { kind: "folder", path: join(trial.data, "secret.key") }, reason: "a file" })).rejects.toThrow(CannotError);
    await kill(worker);
    await cp(trial.storePath("yard-disks"), moved, { recursive: true });
    expect((await reach()).every((s) => s.outcome === "good")).toBe(true);
    expect((await db().select().from(storeAccess).where(eq(storeAccess.storeId, "yard-disks")))[0]).toMatchObject({ address: moved });
    expect((await tryStore(context(), "yard-disks")).every((s) => s.outcome === "good")).toBe(true);
    await copyNow(context(), { policy: "all", machines: ["names-1"], reason: "at the new address" });
    const next = await trial.worker();
    await workEnded(trial);
    await kill(next);
    const after = (await db().select().from(copies).where(eq(copies.storeId, "yard-disks"))).sort((a, b) => b.arrivedAt - a.arrivedAt)[0]!;
    expect(after.sentBytes).toBeLessThan(before!.sentBytes / 2);
  });
});
