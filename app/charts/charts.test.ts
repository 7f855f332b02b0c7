import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { runRows } from "../runs/run-rows.ts";
import type { RunPage } from "../runs/run-page.ts";
import { SPANS, stripScale, stripTicks } from "../frame/strip-scale.ts";
import { fromZone, inZone, momentWords, nearWords } from "../frame/zoned.ts";
import { machineLanes } from "./machine-lanes.ts";
import { FLOOR_SECONDS, rulerScale } from "./ruler-scale.ts";

const ZONE = "Europe/Tallinn";
const NOW = Date.UTC(2026, 10, 24, 10, 20);

describe("the ruler's scale", () => {
  it("has the outage between both sides, rises away from it, is logarithmic and keeps all within the width", () => {
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1e6, noNaN: true }), fc.double({ min: 0, max: 5e6, noNaN: true }), (loss, away) => {
        const scale = rulerScale(loss, away);
        expect(scale.left(loss)).toBeGreaterThanOrEqual(0);
        expect(scale.left(loss)).toBeLessThanOrEqual(scale.centre);
        expect(scale.right(away)).toBeLessThanOrEqual(100);
        expect(scale.right(away)).toBeGreaterThanOrEqual(scale.centre);
        // The same factor is the same distance, on either side.
        const step = (a: number, b: number, of: (s: number) => number): number => Math.abs(of(b) - of(a));
        expect(step(60, 600, scale.right)).toBeCloseTo(step(600, 6_000, scale.right), 6);
        expect(step(60, 600, scale.left)).toBeCloseTo(step(60, 600, scale.right), 6);
      }),
    );
  });
  it("draws what is below its floor at the floor, and letters only ticks it holds", () => {
    const scale = rulerScale(3_600, 86_400);
    expect(scale.left(0)).toBe(scale.left(FLOOR_SECONDS));
    expect(scale.right(3)).toBe(scale.centre);
    for (const tick of scale.ticks) expect(tick.percent).toBeCloseTo(tick.side === "left" ? scale.left(tick.seconds) : scale.right(tick.seconds), 9);
    expect(scale.ticks.every((t) => t.percent > 0 && t.percent < 100)).toBe(true);
    expect(scale.ticks.filter((t) => t.major).length).toBeGreaterThan(4);
  });
});

describe("the time strip's scale", () => {
  it("maps instants to percent and back, spans a week back and two days ahead", () => {
    expect([SPANS.week.back, SPANS.week.ahead]).toEqual([7 * 86_400_000, 2 * 86_400_000]);
    for (const span of ["day", "week"] as const) {
      const scale = stripScale(span, NOW);
      for (const share of [0, 0.25, 0.6, 1]) expect(scale.percent(scale.instant(share))).toBeCloseTo(share * 100, 9);
      expect(scale.percent(NOW)).toBeGreaterThan(50);
    }
  });
  it("marks local midnights and every third local hour, through a change of clocks too", () => {
    for (const now of [NOW, Date.UTC(2026, 2, 29, 3), Date.UTC(2026, 9, 25, 3)]) {
      const day = stripTicks(stripScale("day", now), ZONE);
      expect(day.length).toBeGreaterThan(6);
      for (const tick of day) expect(inZone(tick.at, ZONE).hour % 3).toBe(0);
      const week = stripTicks(stripScale("week", now), ZONE);
      for (const tick of week) expect(inZone(tick.at, ZONE).toFormat("HH:mm")).toBe("00:00");
      expect(week.length).toBeGreaterThanOrEqual(8);
    }
  });
});

describe("instants in words", () => {
  it("are the organisation's, with the date where it is not near, and a local field reads back", () => {
    expect(momentWords(NOW, ZONE)).toBe("Tue 24 Nov 12:20");
    expect(nearWords(NOW - 86_400_000, ZONE, NOW)).toBe("Mon 12:20");
    expect(nearWords(NOW - 6 * 86_400_000, ZONE, NOW)).toBe("Wed 18 Nov 12:20");
    expect(fromZone(inZone(NOW, ZONE).toFormat("yyyy-LL-dd'T'HH:mm"), ZONE)).toBe(NOW);
    expect(fromZone("nonsense", ZONE)).toBeUndefined();
  });
});

describe("a run's rows", () => {
  const step = (id: string, more: Partial<RunPage["steps"][number]>): RunPage["steps"][number] => ({ id, kind: "boot", title: id, actor: "platform", service: "s", machine: "m", projectedStart: 0, projectedFinish: 60, state: "waiting", startedAt: null, finishedAt: null, detail: "", substitutions: [], tickedBy: null, ...more });
  const run = {
    beganAt: NOW,
    steps: [step("done", { state: "done", startedAt: NOW + 5_000, finishedAt: NOW + 95_000 }), step("running", { state: "running", startedAt: NOW + 95_000, machine: "n", projectedStart: 60, projectedFinish: 120 }), step("waiting", { machine: null, projectedStart: 120, projectedFinish: 150 })],
    services: [{ service: "s", name: "S", state: "returns", measuredSeconds: null, projectedSeconds: 150, measuredWords: "" }, { service: "t", name: "T", state: "cannot" }],
  } as unknown as RunPage;

  it("draw what was measured, with what was projected beside it; what is to come as projected", () => {
    const { rows, end } = runRows(run, NOW + 200_000);
    expect(rows.map((r) => r.name)).toEqual(["S"]);
    expect(rows[0]!.bars.map((b) => [b.id, b.start, b.finish, b.projected?.finish ?? null, b.state])).toEqual([
      ["done", 5, 95, 60, "done"],
      ["running", 95, 200, 120, "running"],
      ["waiting", 120, 150, null, "waiting"],
    ]);
    expect(end).toBe(200);
    const { lanes, laneOf } = machineLanes(rows[0]!.bars);
    expect(lanes).toBe(2);
    expect(rows[0]!.bars.map((b) => laneOf.get(b))).toEqual([0, 1, 0]);
    expect(machineLanes([])).toEqual({ lanes: 1, laneOf: new Map() });
  });
});
