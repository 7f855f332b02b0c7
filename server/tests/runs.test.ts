import { readdir, readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { and, eq } from "drizzle-orm";
import { GRADES } from "#core/runbook/proof.ts";
import { pointPacks } from "#engine/points/point.ts";
import { listPoints } from "#engine/points/point.ts";
import { copyNow, goOn, stopWork } from "../acts/copies.ts";
import { confirmData, releaseEnclave, startRehearsal, tickStep } from "../acts/runs.ts";
import { copies, works } from "../db/schema.ts";
import { lastProofs, loadRun, serviceResults } from "../db/queries/runs.ts";
import { CannotError, RefusedError } from "../people/roles.ts";
import { kill, ORGANISATION, pause, runOf, startTrial, stepsOf, type Trial, until, workEnded } from "./trial.ts";

let trial: Trial;
beforeAll(async () => {
  trial = await startTrial();
  const worker = await trial.worker();
  await copyNow({ app: trial.app, person: trial.coordinator }, { policy: "all", reason: "for the runs" });
  await workEnded(trial);
  await kill(worker);
});
afterAll(() => trial.close());

const context = (): { app: Trial["app"]; person: Trial["coordinator"] } => ({ app: trial.app, person: trial.coordinator });
const rehearse = (more: Partial<Parameters<typeof startRehearsal>[1]> = {}): Promise<string> => startRehearsal(context(), { lost: ["quay"], services: undefined, byHand: false, reason: "to see it work", at: null, ...more });
const machinesOf = (service: string): readonly string[] => trial.estate.services.find((s) => s.id === service)!.machines;

async function resultsOf(id: string): Promise<Map<string, ReturnType<typeof serviceResults>[number]>> {
  const { run, steps, confirmed } = (await loadRun(trial.app.connection.db, ORGANISATION, id))!;
  return new Map(serviceResults(run, steps, new Set(confirmed.map((c) => c.serviceId)), machinesOf).map((r) => [r.service, r]));
}

/** Flips one byte in the middle of every pack of a machine's newest point in a folder store. */
async function damage(store: string, machine: string): Promise<void> {
  const vault = await trial.app.stores.vault(ORGANISATION, store);
  const [point] = (await listPoints(vault)).filter((p) => p.name === machine);
  for (const pack of await pointPacks(vault, point!)) {
    const path = join(trial.storePath(store), "blobs/sha256", pack);
    const bytes = await readFile(path);
    bytes[8]! ^= 0x55;
    await writeFile(path, bytes);
  }
}

async function damageBucket(machine: string): Promise<void> {
  const vault = await trial.app.stores.vault(ORGANISATION, "cloud-bucket");
  const [point] = (await listPoints(vault)).filter((p) => p.name === machine);
  for (const pack of await pointPacks(vault, point!)) {
    const name = `blobs/sha256/${pack}`;
    const bytes = await vault.store.get(name);
    bytes[8]! ^= 0x55;
    await vault.store.put(name, bytes);
  }
}

describe("a rehearsal", () => {
  let run = "";

  it("survives kill -9 again and again; no step takes effect twice", async () => {
    run = await rehearse();
    await trial.app.world.setPace({ mode: "always-hurried", factor: 300 });
    for (let i = 0; i < 5; i++) {
      const worker = await trial.worker();
      await pause(300 + i * 200);
      await kill(worker);
    }
    await trial.app.world.setPace({ mode: "events", factor: 60 });
    trial.app.coordinator.start();
    await workEnded(trial);
    const steps = await stepsOf(trial, run);
    expect([...steps.values()].filter((s) => s.state !== "done")).toEqual([]);
    const enclave = (await trial.app.world.enclave(run))!;
    expect(enclave.machines.map((m) => m.id).sort()).toEqual(["app-1", "feed-1", "ledger-1", "names-1"]);
    expect(enclave.machines.every((m) => m.state === "running" && m.host === "y1")).toBe(true);
    // One message a service: nothing was told twice.
    expect(enclave.messages.map((m) => m.text).sort()).toEqual(["Crossings is serviceable again (rehearsal).", "Feed is serviceable again (rehearsal).", "Ledger is serviceable again (rehearsal).", "Names is serviceable again (rehearsal)."]);
    expect(enclave.names).toHaveLength(4);
  });

  it("takes along what is alive elsewhere and refuses, with the reason, what finds no room", async () => {
    const { plan } = await runOf(trial, run);
    const feed = plan.services.find((s) => s.service === "feed")!;
    expect(feed.state).toBe("returns");
    expect(plan.asked).not.toContain("feed");
    expect(plan.services.find((s) => s.service === "giant")).toMatchObject({ state: "cannot", reason: "giant-1 needs 40 cores and no surviving host has more than 24" });
    // From the surviving stores only.
    expect(plan.machines.flatMap((m) => m.stores)).not.toContain("quay-disks");
  });

  it("keeps order: a service's machines start after what it needs has answered, bytes before boots", async () => {
    const { plan } = await runOf(trial, run);
    const steps = await stepsOf(trial, run);
    for (const step of plan.steps)
      for (const before of step.after) {
        const mine = steps.get(step.id)!;
        expect(mine.startedAt!, `${step.id} after ${before}`).toBeGreaterThanOrEqual(steps.get(before)!.finishedAt!);
      }
    expect(steps.get("boot/app-1")!.startedAt!).toBeGreaterThanOrEqual(steps.get("check/names")!.finishedAt!);
    // And in parallel where it may: both streams of the yard were in use at once.
    const a = steps.get("bring-back/names-1")!;
    expect([...steps.values()].some((s) => s.stepId.startsWith("bring-back/") && s.stepId !== a.stepId && s.startedAt! < a.finishedAt! && s.finishedAt! > a.startedAt!)).toBe(true);
    // What holds the streams never exceeds what there is.
    const edges = [...steps.values()].filter((s) => s.stepId.startsWith("bring-back/")).flatMap((s) => [[s.startedAt!, 1], [s.finishedAt!, -1]] as [number, number][]).sort((x, y) => x[0] - y[0] || x[1] - y[1]);
    let held = 0;
    for (const [, by] of edges) expect((held += by)).toBeLessThanOrEqual(2);
  });

  it("measures each service from the declaration and reaches a grade of proof that names on whose word", async () => {
    const results = await resultsOf(run);
    for (const service of ["names", "app", "ledger", "feed"]) {
      expect(results.get(service)).toMatchObject({ grade: "answers" });
      expect(results.get(service)!.measuredSeconds!).toBeGreaterThan(60);
    }
    expect(results.get("app")!.measuredSeconds!).toBeGreaterThan(results.get("names")!.measuredSeconds!);
    await confirmData(context(), { run, service: "app", byWhom: "the head of sales" });
    expect((await resultsOf(run)).get("app")!.grade).toBe("confirmed");
    expect((await lastProofs(trial.app.connection.db, ORGANISATION, machinesOf)).get("app")).toMatchObject({ run, grade: "confirmed", lost: ["quay"] });
    await expect(confirmData(context(), { run, service: "giant", byWhom: "nobody" })).rejects.toBeInstanceOf(CannotError);
    expect(GRADES.indexOf("confirmed")).toBeGreaterThan(GRADES.indexOf("answers"));
  });

  it("measures what the world took, not what was projected", async () => {
    const { plan } = await runOf(trial, run);
    const steps = await stepsOf(trial, run);
    const pairs = plan.steps.map((p) => [p.projectedFinish - p.projectedStart, (steps.get(p.id)!.finishedAt! - steps.get(p.id)!.startedAt!) / 1000] as const);
    expect(pairs.filter(([projected, measured]) => Math.abs(projected - measured) > 0.5).length).toBeGreaterThan(pairs.length / 2);
    for (const [projected, measured] of pairs) expect(measured / projected).toBeGreaterThan(0.4);
    for (const [projected, measured] of pairs) expect(measured / projected).toBeLessThan(2.5);
  });

  it("keeps its enclave until it is released, and a second one waits for that", async () => {
    await expect(rehearse()).rejects.toThrow(/enclave of run 1 is still kept/);
    await expect(releaseEnclave({ app: trial.app, person: trial.observer }, run)).rejects.toBeInstanceOf(RefusedError);
    await releaseEnclave(context(), run);
    expect(await trial.app.world.enclave(run)).toBeNull();
    expect(await readdir(join(trial.data, "world/disks")).catch(() => [])).toEqual([]);
    expect((await stepsOf(trial, run)).get("check/app")!.state).toBe("done");
  });

  it("uses another surviving store's copy where a blob is damaged, and says so", async () => {
    await damage("yard-disks", "names-1");
    const second = await rehearse({ services: ["names"] });
    await workEnded(trial);
    const step = (await stepsOf(trial, second)).get("bring-back/names-1")!;
    expect(step.state).toBe("done");
    expect(step.substitutions.join()).toMatch(/was damaged in yard-disks; cloud-bucket was used/);
    expect((await resultsOf(second)).get("names")!.grade).toBe("answers");
    const states = await trial.app.connection.db.select().from(copies).where(and(eq(copies.storeId, "yard-disks"), eq(copies.state, "damaged")));
    expect(states).toHaveLength(1);
    await releaseEnclave(context(), second);
  });

  it("fails one machine's step with a sentence where no store has it whole; what does not depend on it goes on", async () => {
    await damage("yard-disks", "ledger-1");
    await damageBucket("ledger-1");
    const third = await rehearse({ services: ["names", "ledger"] });
    await workEnded(trial);
    const steps = await stepsOf(trial, third);
    expect(steps.get("bring-back/ledger-1")!.state).toBe("failed");
    expect(steps.get("bring-back/ledger-1")!.detail).toMatch(/^The point of ledger-1 of 2026-03-02 \d\d:\d\d UTC is whole in none of (yard-disks and cloud-bucket|cloud-bucket and yard-disks) .*Copy the machine again, or rehearse with the needle before it/);
    expect(steps.get("boot/ledger-1")!.state).toBe("skipped");
    expect(steps.get("check/ledger")!.detail).toMatch(/^not begun: /);
    expect(steps.get("check/names")!.state).toBe("done");
    expect((await resultsOf(third)).get("ledger")).toMatchObject({ grade: "none", measuredSeconds: null });
    await releaseEnclave(context(), third);
    // Known to be damaged now: the next plan refuses the service and says why.
    await expect(rehearse({ services: ["ledger"] })).rejects.toThrow(/every surviving copy of ledger-1 is damaged/);
    // Copied again, as the sentence says, it is sent anew to where it was damaged, and comes back.
    await copyNow(context(), { policy: "all", machines: ["ledger-1"], reason: "as the run said" });
    await workEnded(trial);
    const mended = await rehearse({ services: ["ledger"] });
    await workEnded(trial);
    expect((await stepsOf(trial, mended)).get("bring-back/ledger-1")).toMatchObject({ state: "done", substitutions: [] });
    expect((await resultsOf(mended)).get("ledger")!.grade).toBe("answers");
    await releaseEnclave(context(), mended);
  });

  it("waits for people's hands at the wall's pace; a tick counts once", async () => {
    const fourth = await rehearse({ services: ["names"], byHand: true });
    await until("the name is to be switched by hand", async () => (await stepsOf(trial, fourth)).get("names/names")!.state === "hand");
    await until("time goes at the wall's pace", async () => (await trial.app.world.status()).effective === 1);
    await expect(tickStep({ app: trial.app, person: trial.observer }, { run: fourth, step: "names/names" })).rejects.toBeInstanceOf(RefusedError);
    await expect(tickStep(context(), { run: fourth, step: "boot/names-1" })).rejects.toBeInstanceOf(CannotError);
    await tickStep(context(), { run: fourth, step: "names/names" });
    await expect(tickStep(context(), { run: fourth, step: "names/names" })).rejects.toBeInstanceOf(CannotError);
    await workEnded(trial);
    const step = (await stepsOf(trial, fourth)).get("names/names")!;
    expect(step).toMatchObject({ state: "done", tickedBy: "coordinator" });
    expect(step.detail).toMatch(/ticked by coordinator/);
    await releaseEnclave(context(), fourth);
  });

  it("can be stopped and gone on with", async () => {
    await trial.app.world.setPace({ mode: "always-hurried", factor: 60 });
    const fifth = await rehearse({ services: ["app"] });
    await until("bytes are being brought back", async () => (await stepsOf(trial, fifth)).get("bring-back/app-1")!.state === "running");
    await stopWork(context(), fifth);
    await until("it has stopped", async () => (await trial.app.connection.db.select().from(works).where(eq(works.id, fifth)))[0]!.state === "stopped");
    await trial.app.world.setPace({ mode: "events", factor: 60 });
    await goOn(context(), fifth);
    await workEnded(trial);
    expect((await resultsOf(fifth)).get("app")).toMatchObject({ grade: "answers" });
    await releaseEnclave(context(), fifth);
  });
});

describe("several processes", () => {
  it("never carry out one thing twice: one leads, a frozen leader is replaced, a dead one at once", async () => {
    await trial.app.coordinator.stop();
    const first = await trial.worker();
    const second = await trial.worker();
    await pause(1_500);
    const before = await trial.app.connection.pool.query<{ holder: string; fence: string }>("select holder, fence from lease");
    const leader = before.rows[0]!.holder.includes(`/${first.pid}/`) ? first : second;
    // Frozen, not dead: its connection is ended after its heartbeat has been missed.
    leader.kill("SIGSTOP");
    const run = await rehearse({ services: ["names"] });
    const began = Date.now();
    await workEnded(trial, 40_000);
    expect(Date.now() - began).toBeLessThan(30_000);
    leader.kill("SIGCONT");
    await pause(1_000);
    const enclave = (await trial.app.world.enclave(run))!;
    expect(enclave.messages).toHaveLength(1);
    const after = await trial.app.connection.pool.query<{ fence: string }>("select fence from lease");
    expect(Number(after.rows[0]!.fence)).toBeGreaterThan(Number(before.rows[0]!.fence));
    await releaseEnclave(context(), run);
    // A dead leader's work is taken up well within fifteen seconds.
    const holder = (await trial.app.connection.pool.query<{ holder: string }>("select holder from lease")).rows[0]!.holder;
    const [dies, lives] = holder.includes(`/${first.pid}/`) ? [first, second] : [second, first];
    await trial.app.world.setPace({ mode: "always-hurried", factor: 60 });
    const last = await rehearse({ services: ["names"] });
    await until("it has begun", async () => (await stepsOf(trial, last)).get("prepare/names-1")!.state !== "waiting");
    await kill(dies);
    await trial.app.world.setPace({ mode: "events", factor: 60 });
    await workEnded(trial, 15_000);
    expect((await resultsOf(last)).get("names")!.grade).toBe("answers");
    await kill(lives);
  });
});
