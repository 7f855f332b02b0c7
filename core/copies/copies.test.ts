import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { AT, copyOf, GIB, HOUR_MS, MIB, smallEstate } from "../tests/small-estate.ts";
import { changedBytes } from "./changed-bytes.ts";
import { type CopyFact, usableCopies } from "./copy-fact.ts";
import { exposureOver, exposureSummary } from "./exposure.ts";
import { legUses, measuredLags, projectedLags, scheduledCopies, steadyCopies } from "./legs.ts";
import { storeRoom } from "./store-room.ts";
import { byStore, legsUnderWay } from "./under-way.ts";

describe("changed bytes", () => {
  it("are the exact occupancy of boxes: mean of many seeded throws", () => {
    // Feller I, IV.2: n balls in m boxes leave m·(1 − 1/m)^n empty on average.
    const boxes = 64;
    const balls = 100;
    let seed = 42;
    const random = (): number => ((seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0) / 2 ** 32);
    let sum = 0;
    const trials = 4_000;
    for (let i = 0; i < trials; i++) sum += new Set(Array.from({ length: balls }, () => Math.floor(random() * boxes))).size;
    const block = MIB;
    const expected = changedBytes({ hot: boxes * block, written: balls * block, grown: 0 }, block, 3_600, Infinity) / block;
    expect(expected).toBeCloseTo(boxes * (1 - (1 - 1 / boxes) ** balls), 9);
    // Standard error of the mean is under 0.05 boxes here.
    expect(Math.abs(sum / trials - expected)).toBeLessThan(0.2);
  });

  it("never pass the hot set and growth, rise with time, and two short stretches are worth more than one long", () => {
    const rate = fc.record({ hot: fc.integer({ min: 1, max: 500 }).map((n) => n * MIB), written: fc.integer({ min: 0, max: 5_000 }).map((n) => n * MIB), grown: fc.integer({ min: 0, max: 100 }).map((n) => n * MIB) });
    fc.assert(
      fc.property(rate, fc.integer({ min: 60, max: 86_400 }), (change, seconds) => {
        const once = changedBytes(change, MIB, seconds, Infinity);
        const growth = (change.grown * seconds) / 3_600;
        expect(once).toBeLessThanOrEqual(Math.max(change.hot, MIB) + growth + 1);
        expect(changedBytes(change, MIB, seconds * 2, Infinity)).toBeGreaterThanOrEqual(once - 1);
        expect(2 * changedBytes(change, MIB, seconds / 2, Infinity)).toBeGreaterThanOrEqual(once - 1);
        expect(changedBytes(change, MIB, seconds, 5)).toBeLessThanOrEqual(5);
      }),
    );
  });

  it("have declared ends", () => {
    expect(changedBytes({ hot: 0, written: GIB, grown: 36 }, MIB, 3_600, Infinity)).toBe(36);
    expect(changedBytes({ hot: 10, written: 10, grown: 0 }, MIB, 3_600, Infinity)).toBeCloseTo(10, 6);
    expect(changedBytes({ hot: GIB, written: GIB, grown: 0 }, MIB, 0, Infinity)).toBe(0);
  });
});

describe("usable copies and exposure", () => {
  const estate = smallEstate();
  const nothing = new Set<string>();

  it("are those captured and arrived by then, whole, in a surviving store, newest first", () => {
    const facts = [copyOf(estate, "db", "qd", 7_200), copyOf(estate, "db", "yd", 7_200), copyOf(estate, "db", "qd", 3_600), copyOf(estate, "db", "yd", 3_600, { state: "damaged" }), copyOf(estate, "db", "yd", 30), copyOf(estate, "web", "yd", 60)];
    expect(usableCopies(facts, "db", AT, nothing).map((f) => [f.store, (AT - f.capturedAt) / 1000])).toEqual([["qd", 3_600], ["qd", 7_200], ["yd", 7_200]]);
    expect(usableCopies(facts, "db", AT, new Set(["qd"])).map((f) => (AT - f.capturedAt) / 1000)).toEqual([7_200]);
    // The one captured 30 s before had not arrived.
    expect(usableCopies(facts, "db", AT + 31_000, new Set(["qd"]))[0]!.capturedAt).toBe(AT - 30_000);
  });

  it("is at every instant the age of the newest usable copy (against looking at each instant by itself)", () => {
    const fact = fc.record({ captured: fc.integer({ min: 0, max: 500 }), lag: fc.integer({ min: 0, max: 100 }), store: fc.constantFrom("qd", "yd"), state: fc.constantFrom("whole" as const, "damaged" as const) });
    fc.assert(
      fc.property(fc.array(fact, { maxLength: 25 }), (rows) => {
        const facts: CopyFact[] = rows.map((r, i) => ({ point: `p${i}`, machine: "db", capturedAt: r.captured * 1000, arrivedAt: (r.captured + r.lag) * 1000, store: r.store, state: r.state, dataBytes: 1 }));
        const lost = new Set(["qd"]);
        const vertices = exposureOver(facts, "db", lost, 0, 600_000);
        for (let at = 0; at <= 600_000; at += 7_000) {
          const newest = usableCopies(facts, "db", at, lost)[0];
          const truth = newest ? (at - newest.capturedAt) / 1000 : null;
          const i = vertices.findLastIndex((v) => v.at <= at);
          const v = vertices[i]!;
          expect(v.seconds === null ? null : v.seconds + (at - v.at) / 1000).toEqual(truth);
        }
      }),
    );
  });

  it("tells the worst and the share of time above a target", () => {
    const vertices = [{ at: 0, seconds: 0 }, { at: 100_000, seconds: 100 }, { at: 100_000, seconds: 20 }, { at: 200_000, seconds: 120 }];
    expect(exposureSummary(vertices, 60)).toEqual({ worst: 120, shareAbove: 0.5 });
    expect(exposureSummary([{ at: 0, seconds: null }, { at: 50_000, seconds: null }, { at: 50_000, seconds: 0 }, { at: 100_000, seconds: 50 }], 60)).toEqual({ worst: null, shareAbove: 0.5 });
    expect(exposureSummary([{ at: 5, seconds: 9 }, { at: 5, seconds: 9 }], 60)).toEqual({ worst: 9, shareAbove: 0 });
  });
});

describe("legs of a policy", () => {
  const estate = smallEstate();
  const policy = estate.policies[0]!;

  it("use what lies on their way: logical bytes at the source, reduced ones on lines and in stores", () => {
    expect(legUses(estate, "db", { from: "machine", to: "qd" })).toEqual([{ resource: "pool:q1", coefficient: 1 }, { resource: "write:qd", coefficient: 0.5 }]);
    expect(legUses(estate, "db", { from: "qd", to: "cb" })).toEqual([
      { resource: "read:qd", coefficient: 0.5 },
      { resource: "link:qy:quay", coefficient: 0.5 },
      { resource: "link:yc:yard", coefficient: 0.5 },
      { resource: "write:cb", coefficient: 0.5 },
    ]);
  });

  it("take as long as their slowest resource, and legs add up along the chain", () => {
    const lags = projectedLags(estate, policy, AT);
    // Two machines change the same; each leg's slowest resource moves both at once: 2·b·0.5 over the rate.
    const bytes = changedBytes(estate.machines[0]!.change, MIB, policy.every, Infinity);
    const first = bytes / (300 * MIB);
    const second = first + bytes / (100 * MIB);
    const third = second + bytes / (50 * MIB);
    expect(lags.get("db\nqd")).toBeCloseTo(first, 6);
    expect(lags.get("db\nyd")).toBeCloseTo(second, 6);
    expect(lags.get("web\ncb")).toBeCloseTo(third, 6);
  });

  it("give copies at every whole interval, arriving after their lag; measured lags are the newest", () => {
    const lags = new Map([["db\nqd", 30], ["db\nyd", 90]]);
    const copies = scheduledCopies(estate, policy, lags, AT + 1, AT + 2 * HOUR_MS);
    expect(copies.map((c) => [c.machine, c.store, (c.capturedAt - AT) / HOUR_MS, (c.arrivedAt - c.capturedAt) / 1000])).toEqual([["db", "qd", 1, 30], ["db", "yd", 1, 90], ["db", "qd", 2, 30], ["db", "yd", 2, 90]]);
    expect(copies.every((c) => c.state === "predicted")).toBe(true);
    const facts = [copyOf(estate, "db", "qd", 7_200, { arrivedAt: AT - 7_000_000 }), copyOf(estate, "db", "qd", 3_600, { arrivedAt: AT - 3_550_000 })];
    expect(measuredLags(facts).get("db\nqd")).toBe(50);
    // In steady state the newest that has arrived is never older than interval and lag together.
    const steady = steadyCopies(estate, AT + 1_000_000);
    const newest = usableCopies(steady, "db", AT + 1_000_000, new Set())[0]!;
    expect((AT + 1_000_000 - newest.capturedAt) / 1000).toBeLessThanOrEqual(policy.every + projectedLags(estate, policy, AT).get("db\nqd")!);
  });
});

describe("what is under way", () => {
  const leg = { leg: "qd>yd", work: "w1", machine: "db", from: "Quay disks", to: "yd", total: 100, moved: 40, beganAt: AT, arrived: false };
  it("counts what is on the wire as moved and tells the time left at this moment's rates", () => {
    const [state] = legsUnderWay([leg], [{ work: "w1", leg: "qd>yd", bytes: 30, left: 10, rate: 5 }]);
    expect(state).toMatchObject({ moved: 60, left: 40, rate: 5, secondsLeft: 8 });
    expect(legsUnderWay([leg], [])[0]).toMatchObject({ moved: 40, secondsLeft: null });
    expect(legsUnderWay([{ ...leg, arrived: true }], [])).toEqual([]);
    const both = legsUnderWay([leg, { ...leg, work: "w2", machine: "web" }], [{ work: "w1", leg: "qd>yd", bytes: 30, left: 30, rate: 3 }, { work: "w2", leg: "qd>yd", bytes: 30, left: 30, rate: 9 }]);
    expect(byStore(both)).toEqual([{ store: "yd", machines: 2, moved: 80, total: 200, rate: 12, secondsLeft: 10, beganAt: AT }]);
  });
  it("tells when a store is full at the measured growth", () => {
    expect(storeRoom(1_000, 400, 100, 86_400)).toEqual({ used: 400, capacity: 1_000, grownPerDay: 100, fullInSeconds: 6 * 86_400 });
    expect(storeRoom(1_000, 400, 0, 86_400).fullInSeconds).toBeNull();
    expect(storeRoom(1_000, 1_400, 50, 86_400).fullInSeconds).toBe(0);
  });
});
