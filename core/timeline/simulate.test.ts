import { alg, Graph } from "@dagrejs/graphlib";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { TimelineError} from "./simulate.ts";
import { chainTo, simulateTimeline, type TimelineResources, type TimelineStep } from "./simulate.ts";
import { unitUsage } from "./unit-usage.ts";

const NOTHING: TimelineResources = { units: new Map(), rates: new Map() };
const fixed = (id: string, seconds: number, after: string[] = [], holds: string[] = [], priority: number[] = []): TimelineStep => ({ id, after, holds, priority, work: { kind: "fixed", seconds } });
const flow = (id: string, bytes: number, uses: string[], after: string[] = [], cap?: number): TimelineStep => ({ id, after, holds: [], priority: [], work: { kind: "flow", bytes, uses: uses.map((resource) => ({ resource, coefficient: 1 })), ...(cap === undefined ? {} : { cap }) } });
const steady = (rates: Record<string, number>): TimelineResources => ({ units: new Map(), rates: new Map(Object.entries(rates).map(([id, rate]) => [id, [{ fromSeconds: 0, rate }]])) });
const chainOf = (steps: TimelineStep[], last: string): string => chainTo(simulateTimeline(steps, NOTHING), last).map((s) => s.id).join("-");

/** A random acyclic network: every step may wait for earlier ones only. */
const network = fc
  .array(fc.record({ seconds: fc.integer({ min: 0, max: 50 }), before: fc.array(fc.nat(), { maxLength: 4 }), unit: fc.option(fc.constantFrom("a", "b"), { nil: undefined }) }), { minLength: 1, maxLength: 24 })
  .map((rows) => rows.map(({ seconds, before, unit }, i) => fixed(`s${i}`, seconds, i === 0 ? [] : [...new Set(before.map((b) => `s${b % i}`))], unit ? [unit] : [], [seconds % 3])));

describe("without resource limits", () => {
  it("is the critical path of GLPK's example cpp.mod (house building): 46 by A-B-D-E-H-I-K-M", () => {
    // GNU Linear Programming Kit, examples/cpp.mod; data typed in from there.
    const data: [string, number, string][] = [["A", 3, ""], ["B", 4, "A"], ["C", 3, "B"], ["D", 10, "B"], ["E", 8, "D"], ["F", 4, "D"], ["G", 6, "D"], ["H", 8, "CEFG"], ["I", 5, "H"], ["J", 5, "H"], ["K", 4, "I"], ["L", 2, "J"], ["M", 4, "KL"]];
    const steps = data.map(([id, t, before]) => fixed(id, t, [...before]));
    const timeline = simulateTimeline(steps, NOTHING);
    expect(timeline.end).toBe(46);
    expect(chainOf(steps, "M")).toBe("A-B-D-E-H-I-K-M");
    expect([...timeline.steps.values()].filter((s) => s.slack === 0).map((s) => s.id).join("-")).toBe("A-B-D-E-H-I-K-M");
  });

  it("is the mean critical path of the Reliable Construction project: 44 by A-B-C-E-F-J-L-N", () => {
    // Hillier & Lieberman, Introduction to Operations Research (from memory): means of the three-point durations.
    const data: [string, number, string][] = [["A", 2, ""], ["B", 4, "A"], ["C", 10, "B"], ["D", 6, "C"], ["E", 4, "C"], ["F", 5, "E"], ["G", 7, "D"], ["H", 9, "EG"], ["I", 7, "C"], ["J", 8, "FI"], ["K", 4, "J"], ["L", 5, "J"], ["M", 2, "H"], ["N", 6, "KL"]];
    const steps = data.map(([id, t, before]) => fixed(id, t, [...before]));
    expect(simulateTimeline(steps, NOTHING).end).toBe(44);
    expect(chainOf(steps, "N")).toBe("A-B-C-E-F-J-L-N");
  });

  it("agrees with a graph library's longest path on random networks, and slack with its backward pass", () => {
    fc.assert(
      fc.property(network, (steps) => {
        const bare = steps.map((s) => ({ ...s, holds: [] }));
        const timeline = simulateTimeline(bare, NOTHING);
        // Longest path as the shortest one over negated durations, from a common source.
        const graph = new Graph({ directed: true });
        const seconds = (id: string): number => (bare.find((s) => s.id === id)!.work as { seconds: number }).seconds;
        for (const step of bare) {
          graph.setEdge("source", step.id, 0);
          for (const before of step.after) graph.setEdge(before, step.id, -seconds(before));
        }
        const paths = alg.bellmanFord(graph, "source", (e) => graph.edge(e) as number);
        for (const step of bare) expect(timeline.steps.get(step.id)!.start).toBeCloseTo(-paths[step.id]!.distance, 9);
        for (const step of timeline.steps.values()) {
          const later = bare.map((s) => (s.id === step.id ? { ...s, work: { kind: "fixed" as const, seconds: seconds(s.id) + step.slack } } : s));
          expect(simulateTimeline(later, NOTHING).end).toBeCloseTo(timeline.end, 9);
        }
      }),
      { numRuns: 120 },
    );
  });

  it("takes chained diamonds in its stride (doubling the paths with every diamond)", () => {
    const steps: TimelineStep[] = [fixed("j0", 1)];
    for (let i = 0; i < 400; i++) steps.push(fixed(`a${i}`, 2, [`j${i}`]), fixed(`b${i}`, 3, [`j${i}`]), fixed(`j${i + 1}`, 1, [`a${i}`, `b${i}`]));
    expect(simulateTimeline(steps, NOTHING).end).toBe(1 + 400 * 4);
  });
});

describe("with units that steps hold", () => {
  it("is Graham's case: nine tasks on three machines, list order, 12", () => {
    // Graham, Bounds on multiprocessing timing anomalies, SIAM J. Appl. Math. 17 (1969) 416–429.
    const seconds = [3, 2, 2, 2, 4, 4, 4, 4, 9];
    const after: Record<number, number[]> = { 9: [1], 5: [4], 6: [4], 7: [4], 8: [4] };
    const steps = (cut = 0, machines = 3): number =>
      simulateTimeline(seconds.map((t, i) => fixed(`t${i + 1}`, t - cut, (after[i + 1] ?? []).map((b) => `t${b}`), ["machine"])), { units: new Map([["machine", machines]]), rates: new Map() }).end;
    expect(steps()).toBe(12);
    // The anomalies of the same paper: more machines, or shorter tasks, take longer.
    expect(steps(0, 4)).toBe(15);
    expect(steps(1)).toBe(13);
  });

  it("never starts before what it waits for, never holds more than there is, never idles what could run", () => {
    fc.assert(
      fc.property(network, fc.integer({ min: 1, max: 3 }), (steps, units) => {
        const timeline = simulateTimeline(steps, { units: new Map([["a", units], ["b", 1]]), rates: new Map() });
        for (const step of steps) for (const before of step.after) expect(timeline.steps.get(step.id)!.start).toBeGreaterThanOrEqual(timeline.steps.get(before)!.finish - 1e-9);
        for (const [unit, usage] of unitUsage(steps, timeline)) for (const { held } of usage) expect(held).toBeLessThanOrEqual(unit === "a" ? units : 1);
        // A step that waited for a unit began the moment somebody gave it free.
        for (const t of timeline.steps.values()) if (t.reason.kind === "resource") expect(timeline.steps.get(t.reason.freedBy)!.finish).toBeCloseTo(t.start, 9);
        // And the chain back from the last step is unbroken in time.
        const last = [...timeline.steps.values()].reduce((a, b) => (b.finish > a.finish ? b : a));
        const chain = chainTo(timeline, last.id);
        expect(chain[0]!.start).toBe(0);
        for (let i = 1; i < chain.length; i++) expect(chain[i]!.start).toBeCloseTo(chain[i - 1]!.finish, 9);
      }),
      { numRuns: 150 },
    );
  });

  it("gives a freed unit to what matters most", () => {
    const timeline = simulateTimeline([fixed("first", 5, [], ["u"], [0]), fixed("low", 1, [], ["u"], [9]), fixed("high", 1, [], ["u"], [1])], { units: new Map([["u", 1]]), rates: new Map() });
    expect(timeline.steps.get("high")!.start).toBe(5);
    expect(timeline.steps.get("low")).toMatchObject({ start: 6, ready: 0, reason: { kind: "resource", resource: "u", freedBy: "high" } });
  });
});

describe("with shared rates", () => {
  it("moves flows at max–min rates that change when one ends", () => {
    // Two flows over a line of 10: half each until the short one ends, then all for the other.
    const timeline = simulateTimeline([flow("short", 20, ["line"]), flow("long", 60, ["line"])], steady({ line: 10 }));
    expect(timeline.steps.get("short")!.finish).toBeCloseTo(4, 9);
    expect(timeline.steps.get("long")!.finish).toBeCloseTo(8, 9);
    expect(timeline.steps.get("long")!.boundBy).toBe("line");
  });

  it("follows rates that change with the hour, and caps of a flow by itself", () => {
    const line: TimelineResources = { units: new Map(), rates: new Map([["line", [{ fromSeconds: 0, rate: 10 }, { fromSeconds: 3, rate: 2 }]]]) };
    expect(simulateTimeline([flow("f", 40, ["line"])], line).end).toBeCloseTo(3 + 10 / 2, 9);
    expect(simulateTimeline([flow("f", 40, ["line"], [], 1)], line).end).toBeCloseTo(40, 9);
  });

  it("moves as many bytes as the rates give, whatever the flows", () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 1000 }), { minLength: 1, maxLength: 10 }), fc.integer({ min: 1, max: 50 }), (sizes, rate) => {
        const { end } = simulateTimeline(sizes.map((bytes, i) => flow(`f${i}`, bytes, ["line"])), steady({ line: rate }));
        expect(end).toBeCloseTo(sizes.reduce((a, b) => a + b, 0) / rate, 6);
      }),
    );
  });

  it("tells what is taken of every rate: never more than there is, and in all the bytes of its flows", () => {
    const flows = fc.array(fc.record({ bytes: fc.integer({ min: 1, max: 1_000 }), uses: fc.uniqueArray(fc.constantFrom("disks", "line", "pool"), { minLength: 1 }), after: fc.boolean(), cap: fc.option(fc.integer({ min: 1, max: 9 }), { nil: undefined }) }), { minLength: 1, maxLength: 8 });
    const rates = fc.record({ disks: fc.integer({ min: 1, max: 40 }), line: fc.integer({ min: 1, max: 40 }), pool: fc.integer({ min: 1, max: 40 }), later: fc.integer({ min: 1, max: 40 }) });
    fc.assert(
      fc.property(flows, rates, (rows, { later, ...rate }) => {
        const steps = rows.map(({ bytes, uses, after, cap }, i) => flow(`f${i}`, bytes, uses, after && i > 0 ? [`f${i - 1}`] : [], cap));
        const resources = steady(rate);
        (resources.rates as Map<string, { fromSeconds: number; rate: number }[]>).set("line", [{ fromSeconds: 0, rate: rate.line }, { fromSeconds: 5, rate: later }]);
        const { shares, end } = simulateTimeline(steps, resources);
        for (const [id, list] of shares) {
          const moved = list.reduce((sum, s, i) => sum + s.used * ((list[i + 1]?.at ?? end) - s.at), 0);
          expect(moved).toBeCloseTo(rows.filter((r) => r.uses.includes(id as "line")).reduce((sum, r) => sum + r.bytes, 0), 5);
          for (const { used, capacity } of list) expect(used).toBeLessThanOrEqual(capacity * (1 + 1e-9));
          expect(list.at(-1)!.used).toBe(0);
        }
      }),
    );
  });
});

describe("what cannot be timed", () => {
  const failing = (steps: TimelineStep[], resources = NOTHING): TimelineError => {
    try {
      simulateTimeline(steps, resources);
    } catch (error) {
      return error as TimelineError;
    }
    throw new Error("it was timed");
  };
  it("is told by kind, with the steps", () => {
    expect(failing([fixed("a", 1, ["b"]), fixed("b", 1, ["a"])])).toMatchObject({ kind: "cycle", steps: ["a", "b"] });
    expect(failing([fixed("a", 1, ["gone"])])).toMatchObject({ kind: "unknown-step", steps: ["gone"] });
    expect(failing([fixed("a", 1, [], ["u"])], { units: new Map([["u", 0]]), rates: new Map() })).toMatchObject({ kind: "never-starts", steps: ["a"] });
    expect(failing([flow("a", 1, ["dead"])], steady({ dead: 0 }))).toMatchObject({ kind: "never-ends", steps: ["a"] });
    expect(simulateTimeline([], NOTHING).end).toBe(0);
    expect(simulateTimeline([flow("empty", 0, ["dead"])], steady({ dead: 0 })).end).toBe(0);
  });
});
