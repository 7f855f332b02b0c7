import { appendFile, readFile } from "node:fs/promises";
import { join } from "node:path";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { temporaryFolder } from "#engine/tests/temporary.ts";
import { DiskContents } from "./disk-contents.ts";
import type { WorldOperation } from "./protocol.ts";
import { beginning, Simulation, type WorldRecord } from "./simulation.ts";
import { readTruth } from "./truth.ts";
import { World } from "./world.ts";

const truth = readTruth(await readFile("server/tests/world.yaml", "utf8"));
const OUTLOOK = { startsFrom: async () => true };
const wake = (key: string, at: number, foreground = true): WorldOperation => ({ key, kind: "wake", at, foreground });
const flow = (key: string, bytes: number, resource = "link:quay-yard:quay"): WorldOperation => ({ key, kind: "flow", bytes, uses: [{ resource, coefficient: 1 }], foreground: true });
const open = (folder: string): Promise<World> => World.open(folder, truth, OUTLOOK, true);

/** Hears events one after the other until there are none for a while. */
async function hearAll(world: World, most = 50): Promise<{ key: string; instant: number }[]> {
  const heard: { key: string; instant: number }[] = [];
  let acknowledge: number[] = [];
  for (let i = 0; i < most; i++) {
    const { events } = await world.next({ acknowledge, waitMs: 120 });
    heard.push(...events.map((e) => ({ key: e.key, instant: e.instant })));
    acknowledge = events.map((e) => e.seq);
    if (events.length === 0) break;
  }
  return heard;
}

describe("the world's clock", () => {
  it("goes from event to event in order, and stands still at one until it is acknowledged", async () => {
    const world = await open(await temporaryFolder());
    await world.setPace({ mode: "events", factor: 60 });
    await world.operations([wake("late", truth.begins + 9e6), wake("soon", truth.begins + 5e6)]);
    const first = await world.next({ acknowledge: [], waitMs: 1_000 });
    expect(first.events.map((e) => e.key)).toEqual(["soon"]);
    await new Promise((done) => setTimeout(done, 150));
    expect(world.status()).toMatchObject({ instant: truth.begins + 5e6, held: true });
    // Delivered again until it is acknowledged.
    expect((await world.next({ acknowledge: [], waitMs: 50 })).events).toEqual(first.events);
    // What is asked while it stands begins at that very instant.
    await world.operations([flow("bytes", 112_500_000)]);
    const { events } = await world.next({ acknowledge: first.events.map((e) => e.seq), waitMs: 1_000 });
    expect(events.map((e) => [e.key, e.instant - truth.begins])).toEqual([["bytes", 5e6 + 1_000]]);
    await world.close();
  });

  it("ends at once, with the reason, what would use a line or store that it does not have", async () => {
    const world = await open(await temporaryFolder());
    await world.setPace({ mode: "events", factor: 60 });
    const known = flow("known", 112_500_000);
    await world.operations([{ ...known, key: "unknown", uses: [...(known as Extract<WorldOperation, { kind: "flow" }>).uses, { resource: "read:new-store", coefficient: 1 }] } as WorldOperation, known]);
    const { events } = await world.next({ acknowledge: [], waitMs: 1_000 });
    // At once: at the instant at which it was asked for; the other begins there too.
    const asked = events[0]!.instant;
    expect(events).toMatchObject([{ key: "unknown", result: { ok: false, detail: "the stand-in world has no read:new-store, so nothing moves over it" } }]);
    expect((await world.next({ acknowledge: events.map((e) => e.seq), waitMs: 1_000 })).events).toMatchObject([{ key: "known", instant: asked + 1_000, result: { ok: true } }]);
    await world.close();
  });

  it("carries out one operation for every key, and tells its end again as it was to whoever has lost it", async () => {
    const world = await open(await temporaryFolder());
    await world.setPace({ mode: "events", factor: 60 });
    await world.operations([wake("once", truth.begins + 1_000)]);
    await world.operations([wake("once", truth.begins + 2_000)]);
    expect(await hearAll(world)).toEqual([{ key: "once", instant: truth.begins + 1_000 }]);
    await world.operations([wake("once", truth.begins + 3_000), wake("later", truth.begins + 9_000)]);
    expect(await hearAll(world)).toEqual([{ key: "once", instant: truth.begins + 1_000 }, { key: "later", instant: truth.begins + 9_000 }]);
    await world.cancel(["nothing"]);
    await world.close();
  });

  it("goes at the wall's pace while nobody listens or somebody's hand is waited for, and hurries otherwise", async () => {
    const world = await open(await temporaryFolder());
    await world.setPace({ mode: "hurried", factor: 100 });
    await world.operations([wake("far", truth.begins + 1e9)]);
    expect(world.status().effective).toBe(1);
    const listening = world.next({ acknowledge: [], waitMs: 400 });
    await new Promise((done) => setTimeout(done, 100));
    expect(world.status().effective).toBe(100);
    await world.setHandWaits(true);
    expect(world.status().effective).toBe(1);
    await world.setHandWaits(false);
    expect(world.status().effective).toBe(100);
    const before = world.status().instant;
    await listening;
    expect(world.status().instant - before).toBeGreaterThan(5_000);
    // Nobody has listened for a while: no coordinator is connected.
    await new Promise((done) => setTimeout(done, 1_900));
    expect(world.status().effective).toBe(1);
    await world.close();
  });

  it("never goes back and forgets nothing acknowledged, also when the last line of its log was cut short", async () => {
    const folder = await temporaryFolder();
    const world = await open(folder);
    await world.setPace({ mode: "events", factor: 60 });
    await world.operations([wake("a", truth.begins + 1_000), wake("b", truth.begins + 7_000), flow("c", 1e12)]);
    const { events } = await world.next({ acknowledge: [], waitMs: 500 });
    await world.next({ acknowledge: [events[0]!.seq], waitMs: 500 });
    const shown = world.status().instant;
    // Not closed: as after a kill. A line that was not whole is as if it had never been.
    await appendFile(join(folder, "log.jsonl"), '{"n":999,"record":{"type":"acknow');
    const again = await open(folder);
    expect(again.status().instant).toBeGreaterThanOrEqual(shown);
    expect((await again.next({ acknowledge: [], waitMs: 50 })).events.map((e) => e.key)).toEqual(["b"]);
    await again.operations([wake("a", truth.begins + 99_000)]);
    expect((await again.next({ acknowledge: [], waitMs: 50 })).events.find((e) => e.key === "a")!.instant).toBe(truth.begins + 1_000);
    await world.close();
    await again.close();
  });
});

describe("the simulation", () => {
  const record = fc.oneof(
    fc.record({ kind: fc.constant("flow"), key: fc.constantFrom("f1", "f2", "f3"), size: fc.integer({ min: 1, max: 5_000 }) }),
    fc.record({ kind: fc.constant("wake"), key: fc.constantFrom("w1", "w2"), size: fc.integer({ min: 1, max: 600 }) }),
    fc.record({ kind: fc.constant("cancel"), key: fc.constantFrom("f1", "f2", "w1"), size: fc.constant(0) }),
    fc.record({ kind: fc.constant("event"), key: fc.constant(""), size: fc.constant(0) }),
  );

  it("comes to the same state when its records are played again, at whatever instants it was looked at between", () => {
    fc.assert(
      fc.property(fc.array(record, { maxLength: 30 }), fc.array(fc.integer({ min: 1, max: 5_000 }), { maxLength: 30 }), (acts, looks) => {
        const live = new Simulation(truth, structuredClone(beginning(truth)));
        const written: WorldRecord[] = [];
        const note = (r: WorldRecord): void => {
          live.apply(r);
          written.push(JSON.parse(JSON.stringify(r)) as WorldRecord);
        };
        acts.forEach(({ kind, key, size }, i) => {
          const next = live.next();
          const until = Math.min(live.state.instant + (looks[i] ?? 0), next?.instant ?? Infinity);
          live.advance(until);
          if (kind === "event") {
            if (!next) return;
            note({ type: "event", event: { seq: live.state.seq + 1, instant: Math.max(live.state.instant, next.instant), key: next.keys[0]!, result: { ok: true, detail: "" } } });
            note({ type: "acknowledge", seqs: [live.state.seq] });
          } else if (kind === "cancel") note({ type: "cancel", instant: live.state.instant, keys: [key] });
          else if (!live.knows(key)) note({ type: "operation", instant: live.state.instant, operation: kind === "flow" ? flow(key, size * 1e6) : wake(key, live.state.instant + size * 1000) });
        });
        const replayed = new Simulation(truth, structuredClone(beginning(truth)));
        for (const r of written) replayed.apply(r);
        replayed.advance(live.state.instant);
        expect(Object.keys(replayed.state.ended)).toEqual(Object.keys(live.state.ended));
        for (const [key, a] of Object.entries(live.state.active)) expect(replayed.state.active[key]!.left).toBeCloseTo(a.left, 0);
      }),
      { numRuns: 60 },
    );
  });

  it("shares lines and disks by max–min fairness", () => {
    const world = new Simulation(truth, structuredClone(beginning(truth)));
    for (const key of ["a", "b"]) world.apply({ type: "operation", instant: truth.begins, operation: flow(key, 1e9) });
    world.apply({ type: "operation", instant: truth.begins, operation: flow("c", 1e9, "read:quay-disks") });
    expect(world.rateOf("a")).toBe(112_500_000 / 2);
    expect(world.rateOf("c")).toBe(480 * 2 ** 20);
  });
});

describe("disks of the stand-in platform", () => {
  const contents = new DiskContents(truth);
  const { disk } = contents.disk("app-1", "data")!;
  const hours = (n: number): number => truth.begins + n * 3_600_000;

  it("hold the same at an instant whenever they are asked, and differ exactly in the blocks told as changed", () => {
    const again = new DiskContents(truth);
    const all = Array.from({ length: contents.blocks(disk) }, (_, i) => i);
    for (const [from, to] of [[0, 1], [1, 5], [3, 4]] as const) {
      const before = contents.read("app-1", disk, hours(from), all);
      const after = again.read("app-1", disk, hours(to), all);
      const told = new Set(contents.changed("app-1", disk, hours(from), hours(to)));
      for (const block of all) expect(before.subarray(block * 256, block * 256 + 256).equals(after.subarray(block * 256, block * 256 + 256)), `block ${block}`).toBe(!told.has(block));
    }
  });

  it("change at about the stated rate, start only from a first block of their own", () => {
    const changed = contents.changed("app-1", disk, hours(10), hours(11)).length * 64;
    // 1 GiB an hour over a hot set of 4 GiB in blocks of 64 MiB: some 16 writes on 64 blocks, plus growth.
    expect(changed).toBeGreaterThan(8 * 64);
    expect(changed).toBeLessThan(20 * 64);
    const first = contents.read("app-1", contents.disk("app-1", "system")!.disk, hours(2), [0]);
    expect(contents.starts("app-1", first)).toBe(true);
    expect(contents.starts("names-1", first)).toBe(false);
    expect(contents.starts("app-1", Buffer.alloc(256))).toBe(false);
    expect(contents.disk("app-1", "nothing")).toBeUndefined();
  });
});
