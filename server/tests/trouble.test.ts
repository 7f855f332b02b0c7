import { execFileSync } from "node:child_process";
import { mkdir, readdir, readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { desc, eq } from "drizzle-orm";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { listPoints, pointPacks } from "#engine/points/point.ts";
import { FolderStore } from "#engine/stores/folder-store.ts";
import { noise, temporaryFolder } from "#engine/tests/temporary.ts";
import { keepRunning, type Managed } from "../../scripts/processes.ts";
import { bringBackNow, copyNow, goOn, protectNow } from "../acts/copies.ts";
import { pointsOf } from "../db/queries/copies.ts";
import { works } from "../db/schema.ts";
import { pathMachine } from "../jobs/protect-path.ts";
import { CannotError } from "../people/roles.ts";
import { ORGANISATION, pause, startTrial, type Trial, until, workEnded } from "./trial.ts";

let trial: Trial;
let bucket: Managed | undefined;
beforeAll(async () => {
  trial = await startTrial();
  trial.app.coordinator.start();
});
afterAll(async () => {
  await bucket?.stop();
  await trial.close();
});

const context = (): { app: Trial["app"]; person: Trial["coordinator"] } => ({ app: trial.app, person: trial.coordinator });
const lastWork = async () => (await trial.app.connection.db.select().from(works).orderBy(desc(works.createdAt)).limit(1))[0]!;

describe("a line that is cut", () => {
  it("fails what needs it with a sentence and keeps the rest; it goes on once the line is back", async () => {
    await trial.around.bucket.stop();
    await copyNow(context(), { policy: "all", machines: ["names-1"], reason: "through a cut" });
    await until("it has failed", async () => (await lastWork()).state === "failed");
    const work = await lastWork();
    expect(work.failure).toMatch(/bucket cloud at .* does not answer/);
    expect(work.failure).not.toMatch(/secret|PUFFIN|password/i);
    // What could arrive has arrived.
    const [point] = await pointsOf(trial.app.connection.db, ORGANISATION, "names-1");
    expect(point!.copies.map((c) => c.store)).toContain("quay-disks");
    const { secrets } = trial.around;
    bucket = await keepRunning("The bucket server", "standins/bucket/main.ts", { BUCKET_FOLDER: join(trial.data, "buckets"), BUCKET_PORT: String(secrets.bucketPort), BUCKET_KEY: secrets.bucketKey, BUCKET_SECRET: secrets.bucketSecret, BUCKET_RELAXED: "1" });
    await goOn(context(), work.id);
    await workEnded(trial);
    expect((await trial.app.connection.db.select().from(works).where(eq(works.id, work.id)))[0]!.state).toBe("done");
    const [whole] = await pointsOf(trial.app.connection.db, ORGANISATION, "names-1");
    expect(whole!.id).toBe(point!.id);
    expect(whole!.copies.map((c) => c.store).sort()).toEqual(["cloud-bucket", "quay-disks", "yard-disks"]);
  });
});

describe("a real folder", () => {
  it("is protected into several stores and comes back identical from another one where the first is damaged", async () => {
    const source = await temporaryFolder();
    await mkdir(join(source, "deep/er"), { recursive: true });
    await writeFile(join(source, "deep/er/noise"), noise(900_000, 4));
    await writeFile(join(source, "Füße"), "ahoy");
    await protectNow(context(), { name: "charts", path: source, storeIds: ["quay-disks", "yard-disks", "cloud-bucket"], reason: "charts" });
    await workEnded(trial);
    const [point] = await pointsOf(trial.app.connection.db, ORGANISATION, pathMachine("charts"));
    expect(point!.copies).toHaveLength(3);
    const vault = await trial.app.stores.vault(ORGANISATION, "quay-disks");
    const [publication] = (await listPoints(vault)).filter((p) => p.name === "charts");
    for (const pack of await pointPacks(vault, publication!)) {
      const file = join(trial.storePath("quay-disks"), "blobs/sha256", pack);
      const bytes = await readFile(file);
      bytes[40]! ^= 1;
      await writeFile(file, bytes);
    }
    const to = join(await temporaryFolder(), "back");
    await bringBackNow(context(), { name: "charts", point: point!.id, to, reason: "to compare" });
    await workEnded(trial);
    expect((await lastWork()).progress.note).toMatch(/every chunk checked; (yard-disks|cloud-bucket) used where quay-disks was damaged/);
    execFileSync("diff", ["-r", "--no-dereference", source, to]);
  });

  it("is refused where the copy would hold itself, where there is nothing, and over what is there", async () => {
    const ask = (path: string, name = "x"): Promise<void> => protectNow(context(), { name, path, storeIds: ["quay-disks"], reason: "no" });
    await expect(ask(trial.storePath("quay-disks"))).rejects.toBeInstanceOf(CannotError);
    await expect(ask(trial.data)).rejects.toThrow(/never end/);
    await expect(ask("/nowhere/at/all")).rejects.toThrow(/nothing at/);
    await expect(ask("relative")).rejects.toThrow(/not an absolute path/);
    await expect(ask("/dev/null")).rejects.toThrow(/neither a folder nor a file/);
    await expect(ask(await temporaryFolder(), "charts")).rejects.toThrow(/is the name of/);
    const [point] = await pointsOf(trial.app.connection.db, ORGANISATION, pathMachine("charts"));
    const full = await temporaryFolder();
    await writeFile(join(full, "kept"), "as it was");
    await bringBackNow(context(), { name: "charts", point: point!.id, to: full, reason: "over it" });
    await workEnded(trial);
    expect(await lastWork()).toMatchObject({ state: "failed", failure: expect.stringContaining("is not empty") as string });
    expect(await readdir(full)).toEqual(["kept"]);
    expect(await readFile(join(full, "kept"), "utf8")).toBe("as it was");
  });
});

describe("a disk that is full", () => {
  it.skipIf(process.getuid?.() !== 0)("is told as such by the store, which keeps what it had and leaves nothing half written", async () => {
    const folder = await temporaryFolder();
    execFileSync("mount", ["-t", "tmpfs", "-o", "size=1m", "tmpfs", folder]);
    try {
      const store = new FolderStore("small", folder);
      await store.put("a", Buffer.alloc(400_000, 1));
      await expect(store.put("b", Buffer.alloc(2_000_000, 2))).rejects.toMatchObject({ kind: "full", message: expect.stringContaining("free some room or choose another store") as string });
      expect((await store.get("a")).length).toBe(400_000);
      expect(await store.size("b")).toBeUndefined();
      expect(await readdir(join(folder, "tmp"))).toEqual([]);
      await store.put("c", Buffer.alloc(300_000, 3));
    } finally {
      await pause(50);
      execFileSync("umount", [folder]);
    }
  });
});
