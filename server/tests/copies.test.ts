import { eq, sql } from "drizzle-orm";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { readRecords, readTrailer } from "#engine/chunks/pack.ts";
import { listPoints } from "#engine/points/point.ts";
import { verify } from "#engine/verify.ts";
import { WORK_CHANNEL } from "../jobs/coordinator.ts";
import { copyNow, dropWork, goOn, setSchedule, stopWork } from "../acts/copies.ts";
import { loadCopyFacts, pointsOf, storedBytes } from "../db/queries/copies.ts";
import { audit, schedules, works } from "../db/schema.ts";
import { CannotError, RefusedError } from "../people/roles.ts";
import { outlook } from "../outlook.ts";
import { assessReadiness } from "#core/readiness/readiness.ts";
import { startCluster, stopCluster } from "../../scripts/postgres.ts";
import { kill, ORGANISATION, pause, startTrial, type Trial, until, workEnded } from "./trial.ts";

const STORES = ["quay-disks", "yard-disks", "cloud-bucket"];
let trial: Trial;
beforeAll(async () => {
  trial = await startTrial();
});
afterAll(() => trial.close());

const context = (): { app: Trial["app"]; person: Trial["coordinator"] } => ({ app: trial.app, person: trial.coordinator });
const sent = async (machine: string, store: string): Promise<number[]> =>
  (await pointsOf(trial.app.connection.db, ORGANISATION, machine)).map((p) => p.copies.find((c) => c.store === store)?.sentBytes ?? -1).reverse();

/** How often each chunk lies in a store: once, unless something was sent again. */
async function chunkCounts(store: string, { app } = trial): Promise<{ chunks: number; distinct: number }> {
  app.stores.forget();
  const vault = await app.stores.vault(ORGANISATION, store);
  const seen: string[] = [];
  for await (const { name } of vault.store.list("blobs/sha256/")) {
    const bytes = await vault.store.get(name);
    const trailer = readTrailer(bytes);
    if (trailer) seen.push(...readRecords(trailer, bytes.subarray(trailer.indexOffset)).records.map((r) => r.digest));
  }
  return { chunks: seen.length, distinct: new Set(seen).size };
}

describe("copies", () => {
  it("go on after kill -9 at any moment, send nothing twice and lose nothing", async () => {
    await copyNow(context(), { policy: "all", reason: "first copies" });
    const inState = async (state: "waiting" | "running"): Promise<number> => (await trial.app.connection.db.select().from(works).where(eq(works.state, state))).length;
    let kills = 0;
    for (; kills < 4; kills++) {
      const worker = await trial.worker();
      await until("work is taken up, or all is done", async () => (await inState("running")) > 0 || (await inState("waiting")) === 0);
      // Some die at once, some in the middle of a slice.
      await pause(kills * 250);
      await kill(worker);
      if ((await inState("running")) + (await inState("waiting")) === 0) break;
    }
    expect(kills).toBeGreaterThan(1);
    const last = await trial.worker();
    await workEnded(trial);
    await kill(last);
    const facts = await loadCopyFacts(trial.app.connection.db, ORGANISATION);
    expect(facts).toHaveLength(5 * 3);
    for (const store of STORES) {
      const { chunks, distinct } = await chunkCounts(store);
      expect(chunks).toBe(distinct);
      const vault = await trial.app.stores.vault(ORGANISATION, store);
      const checked = await verify(vault);
      expect(checked.damaged).toEqual([]);
      expect(checked.points.flatMap((p) => p.faults)).toEqual([]);
      expect(checked.points).toHaveLength(5);
    }
    // One machine has one point, the same in every store.
    expect(new Set(facts.filter((f) => f.machine === "app-1").map((f) => f.point)).size).toBe(1);
    // A point arrives after it was captured, and further stores after the first.
    const app1 = facts.filter((f) => f.machine === "app-1");
    const arrived = (store: string): number => app1.find((f) => f.store === store)!.arrivedAt;
    expect(arrived("quay-disks")).toBeGreaterThan(app1[0]!.capturedAt);
    expect(arrived("yard-disks")).toBeGreaterThan(arrived("quay-disks"));
  });

  it("move only what has changed after the first time, and readiness answers with less loss", async () => {
    const { app } = trial;
    const before = await outlook(app, ORGANISATION, { at: null, lost: ["quay"] });
    trial.app.coordinator.start();
    await app.world.begin([{ key: "test/later", kind: "wake", at: (await app.world.now()) + 3_600_000, foreground: true }]);
    await until("an hour has passed", async () => (await app.world.now()) >= before!.now + 3_600_000);
    const stale = await outlook(app, ORGANISATION, { at: null, lost: ["quay"] });
    await copyNow(context(), { policy: "all", machines: ["app-1", "names-1"], reason: "an hour later" });
    await workEnded(trial);
    for (const store of STORES) {
      const [first, second] = await sent("app-1", store);
      expect(second!).toBeGreaterThan(0);
      // An hour changes some 1.6 GiB of the 57 GiB that the first copy moved.
      expect(second!).toBeLessThan(first! * 0.1);
    }
    const fresh = await outlook(app, ORGANISATION, { at: null, lost: ["quay"] });
    const loss = (o: NonNullable<typeof fresh>): number => assessReadiness(o.estate, o.facts, o.lost, o.at).services.find((s) => s.service === "app")!.loss!.seconds;
    expect(loss(stale!)).toBeGreaterThan(3_600);
    expect(loss(fresh!)).toBeLessThan(600);
    // The needle on a past instant answers with what was there then.
    const then = await outlook(app, ORGANISATION, { at: new Date(stale!.now).toISOString(), lost: ["quay"] });
    expect(loss(then!)).toBeCloseTo(loss(stale!), 0);
  });

  it("can be stopped, gone on with behind what has arrived, and dropped", async () => {
    const { app } = trial;
    const { db } = app.connection;
    await app.world.setPace({ mode: "always-hurried", factor: 60 });
    await copyNow(context(), { policy: "all", machines: ["ledger-1", "giant-1"], reason: "to be stopped" });
    const mine = async (machine: string) => (await db.select().from(works)).filter((w) => w.subject.kind === "copy" && w.subject.machine === machine && w.reason === "to be stopped")[0]!;
    await until("it is running", async () => (await mine("ledger-1")).state === "running");
    await stopWork(context(), (await mine("ledger-1")).id);
    await stopWork(context(), (await mine("giant-1")).id);
    await until("both are stopped", async () => (await mine("ledger-1")).state === "stopped" && (await mine("giant-1")).state === "stopped");
    // Captures of one machine must not overlap: a stopped one is neither begun anew nor forgotten.
    expect(await copyNow(context(), { policy: "all", machines: ["ledger-1"], reason: "too early" })).toEqual({ asked: [], stillRunning: ["ledger-1"] });
    await dropWork(context(), (await mine("giant-1")).id);
    await expect(goOn(context(), (await mine("giant-1")).id)).rejects.toBeInstanceOf(CannotError);
    await app.world.setPace({ mode: "events", factor: 60 });
    await goOn(context(), (await mine("ledger-1")).id);
    await until("it is done", async () => (await mine("ledger-1")).state === "done");
    expect((await pointsOf(db, ORGANISATION, "ledger-1"))[0]!.copies.map((c) => c.store).sort()).toEqual([...STORES].sort());
  });

  it("are made by the schedule at every whole interval of model time until it is stopped", async () => {
    const { app } = trial;
    const { db } = app.connection;
    await setSchedule(context(), { policy: "all", running: true });
    const [row] = await db.select().from(schedules);
    expect(row!.nextAt! % 3_600_000).toBe(0);
    const count = async (): Promise<number> => (await pointsOf(db, ORGANISATION, "names-1")).length;
    const had = await count();
    // The leader is told and puts the wake-up into the world; from event to event time would jump past it before that.
    await pause(700);
    // With nothing else awaited the world goes at the wall's pace; somebody's wish to see later times hurries it.
    await app.world.begin([{ key: "test/two-hours", kind: "wake", at: row!.nextAt! + 3_600_000 + 1_200_000, foreground: true }]);
    await until("two rounds were made", async () => (await count()) >= had + 2);
    await setSchedule(context(), { policy: "all", running: false });
    await workEnded(trial);
    const points = (await pointsOf(db, ORGANISATION, "names-1")).slice(0, 2);
    expect(points[0]!.capturedAt - points[1]!.capturedAt).toBeGreaterThan(3_500_000);
    expect(points[0]!.capturedAt - row!.nextAt! - 3_600_000).toBeLessThan(60_000);
    expect((await db.select().from(schedules))[0]!.nextAt).toBeNull();
  });

  it("of a past that nobody watches travel as long as their bytes take, though they are written meanwhile", async () => {
    const { db } = trial.app.connection;
    const machines = trial.estate.machines.map((m) => m.id);
    const had = new Set((await loadCopyFacts(db, ORGANISATION)).map((f) => f.point));
    const now = await trial.app.world.now();
    const instants = [1, 2, 3].map((hours) => now + hours * 3_600_000);
    await db.insert(works).values({ organisationId: ORGANISATION, kind: "history", subject: { kind: "history", policies: [{ id: "all", every: 3_600 }], instants }, foreground: true, personName: "test", reason: "a past" });
    await db.execute(sql`select pg_notify(${WORK_CHANNEL}, '')`);
    await until("the past has been gone through", async () => (await db.select().from(works).where(eq(works.kind, "history"))).every((w) => w.state === "done"));
    await workEnded(trial);
    for (const machine of machines) {
      const fresh = (await pointsOf(db, ORGANISATION, machine)).filter((p) => !had.has(p.id)).reverse();
      expect(fresh).toHaveLength(2);
      for (const [i, point] of fresh.entries()) {
        expect(point.capturedAt).toBeGreaterThanOrEqual(instants[i]!);
        expect(point.capturedAt).toBeLessThan(instants[i]! + 60_000);
        const at = new Map(point.copies.map((c) => [c.store, c]));
        const took = (from: number, store: string): number => (at.get(store)!.arrivedAt - from) / 1_000;
        // No line of the stand-in world carries more than what it truly carries (its file: 0.9 Gbit/s, 460 Mbit/s; disks write 390 MiB/s).
        expect(took(point.capturedAt, "quay-disks")).toBeGreaterThanOrEqual(at.get("quay-disks")!.sentBytes / (390 * 2 ** 20) - 0.01);
        const here = at.get("quay-disks")!.arrivedAt;
        expect(took(here, "yard-disks")).toBeGreaterThanOrEqual(at.get("yard-disks")!.sentBytes / (0.9e9 / 8) - 0.01);
        expect(took(here, "cloud-bucket")).toBeGreaterThanOrEqual(at.get("cloud-bucket")!.sentBytes / (460e6 / 8) - 0.01);
        expect(at.get("yard-disks")!.sentBytes).toBeGreaterThan(0);
      }
    }
    for (const store of STORES) {
      const { chunks, distinct } = await chunkCounts(store);
      expect(chunks).toBe(distinct);
      expect((await verify(await trial.app.stores.vault(ORGANISATION, store))).points.flatMap((p) => p.faults)).toEqual([]);
    }
  });

  it("account for room as what they take", async () => {
    const used = await storedBytes(trial.app.connection.db, ORGANISATION);
    const vault = await trial.app.stores.vault(ORGANISATION, "yard-disks");
    expect((await listPoints(vault)).length).toBeGreaterThan(8);
    // 124 GiB were first copied, and they reduce to some 70 percent: the world says that 40 % of blocks are plain.
    expect(used.get("yard-disks")! / 2 ** 30).toBeGreaterThan(60);
    expect(used.get("yard-disks")! / 2 ** 30).toBeLessThan(124);
  });

  it("are refused to observers, who may look; every act stands in the audit trail with its reason", async () => {
    const observer = { app: trial.app, person: trial.observer };
    await expect(copyNow(observer, { policy: "all", reason: "no" })).rejects.toBeInstanceOf(RefusedError);
    await expect(setSchedule(observer, { policy: "all", running: true })).rejects.toBeInstanceOf(RefusedError);
    const entries = await trial.app.connection.db.select().from(audit).where(eq(audit.reason, "an hour later"));
    expect(entries).toMatchObject([{ act: "copy now", personName: "coordinator", subject: "app-1 and names-1" }]);
    expect(await trial.app.connection.db.select().from(audit).where(eq(audit.reason, "no"))).toEqual([]);
  });

  it("of another organisation are not seen and cannot be touched", async () => {
    const stranger = { app: trial.app, person: { ...trial.coordinator, organisationId: "elsewhere" } };
    expect(await loadCopyFacts(trial.app.connection.db, "elsewhere")).toEqual([]);
    const [work] = await trial.app.connection.db.select().from(works);
    await expect(stopWork(stranger, work!.id)).rejects.toBeInstanceOf(CannotError);
    await expect(copyNow(stranger, { policy: "all", reason: "not mine" })).rejects.toBeInstanceOf(CannotError);
    // Nor are its stores reached by their ids alone.
    await expect(trial.app.stores.vault("elsewhere", "yard-disks")).rejects.toMatchObject({ kind: "refused" });
  });
});

describe("a database that stops at once, at any moment of a copy", () => {
  it("is waited for; work goes on when it is back, nothing acknowledged is lost, nothing sent twice", async () => {
    // One that forgets what it acknowledged must not stop work for good either: the world tells it again.
    for (const durable of [true, false]) {
      const shaken = await startTrial(undefined, durable);
      try {
        const { app, around } = shaken;
        app.coordinator.start();
        for (const [round, moment] of (durable ? [60, 250, 420, 800] : [60, 420]).entries()) {
          const reason = `round ${round}`;
          await app.world.setPace({ mode: "always-hurried", factor: 60 });
          await copyNow({ app, person: shaken.coordinator }, { policy: "all", machines: ["app-1", "ledger-1"], reason });
          await pause(moment);
          stopCluster(around.cluster, "immediate");
          if (round === 0) await expect(outlook(app, ORGANISATION, { at: null, lost: [] })).rejects.toThrow();
          await pause(600);
          await startCluster(shaken.data);
          await app.world.setPace({ mode: "events", factor: 60 });
          await until("the database answers", async () => app.connection.db.select().from(works).then(() => true, () => false));
          await workEnded(shaken, 30_000);
          if (!durable) continue;
          const mine = (await app.connection.db.select().from(works)).filter((w) => w.reason === reason);
          expect(mine.map((w) => w.state)).toEqual(["done", "done"]);
        }
        if (!durable) continue;
        for (const store of STORES) {
          const { chunks, distinct } = await chunkCounts(store, shaken);
          expect(chunks).toBe(distinct);
          expect((await verify(await app.stores.vault(ORGANISATION, store))).points.flatMap((p) => p.faults)).toEqual([]);
        }
      } finally {
        await shaken.close();
      }
    }
  }, 180_000);
});

describe("a store without room", () => {
  it("is left as it is, with a sentence; other stores' copies stay", async () => {
    const tight = await startTrial((estate) => {
      estate.stores.find((s) => s.id === "yard-disks")!.capacity = 8 * 2 ** 30;
    });
    try {
      tight.app.coordinator.start();
      await copyNow({ app: tight.app, person: tight.coordinator }, { policy: "all", machines: ["ledger-1"], reason: "too large" });
      await workEnded(tight);
      const [work] = await tight.app.connection.db.select().from(works);
      expect(work).toMatchObject({ state: "failed" });
      expect(work!.failure).toMatch(/^Yard disks has 8 GiB left and ledger-1 needs about 2\d(\.\d)? GiB; enlarge the store/);
      const facts = await loadCopyFacts(tight.app.connection.db, ORGANISATION);
      expect(facts.map((f) => f.store)).toContain("quay-disks");
      expect(facts.map((f) => f.store)).not.toContain("yard-disks");
    } finally {
      await tight.close();
    }
  });
});
