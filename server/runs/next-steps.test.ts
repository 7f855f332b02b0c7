import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { nextSteps, type StepState } from "./next-steps.ts";
import type { PlannedStep } from "./run-plan.ts";

const step = (id: string, more: Partial<PlannedStep> = {}): PlannedStep => ({ id, kind: "boot", title: id, actor: "platform", service: "s", machine: null, after: [], needs: more.after ?? [], priority: [0], holds: [], work: { kind: "fixed", seconds: 1 }, projectedStart: 0, projectedFinish: 1, ...more });
const states = (entries: Record<string, StepState>): Map<string, StepState> => new Map(Object.entries(entries));

describe("what a run does next", () => {
  it("starts what is ready in order of priority while what it holds is free", () => {
    const plan = { units: { stream: 1 }, steps: [step("late", { priority: [2], holds: ["stream"] }), step("soon", { priority: [1], holds: ["stream"] }), step("free")] };
    expect(nextSteps(plan, states({ late: "waiting", soon: "waiting", free: "waiting" })).start.map((s) => s.id)).toEqual(["free", "soon"]);
    expect(nextSteps(plan, states({ late: "waiting", soon: "running", free: "done" })).start).toEqual([]);
    expect(nextSteps(plan, states({ late: "waiting", soon: "hand", free: "done" })).start).toEqual([]);
    expect(nextSteps(plan, states({ late: "waiting", soon: "done", free: "done" })).start.map((s) => s.id)).toEqual(["late"]);
  });

  it("skips what needs a failure, all the way down, with its reason; what only comes after it goes on", () => {
    const plan = { units: {}, steps: [step("a"), step("b", { after: ["a"] }), step("c", { after: ["b"] }), step("beside", { after: ["a"], needs: [] })] };
    const { start, skip } = nextSteps(plan, states({ a: "failed", b: "waiting", c: "waiting", beside: "waiting" }));
    expect(skip.map((s) => [s.step.id, s.because])).toEqual([["b", "“a” failed"], ["c", "“b” was not carried out"]]);
    expect(start.map((s) => s.id)).toEqual(["beside"]);
  });

  it("brings every plan to its end, each step started once, nothing before what it needs, never more held than there is", () => {
    const plans = fc.array(fc.record({ before: fc.array(fc.nat(), { maxLength: 3 }), soft: fc.boolean(), unit: fc.boolean(), fails: fc.integer({ min: 0, max: 9 }) }), { minLength: 1, maxLength: 20 });
    fc.assert(
      fc.property(plans, fc.integer({ min: 1, max: 3 }), (rows, width) => {
        const steps = rows.map(({ before, soft, unit }, i) => {
          const after = i === 0 ? [] : [...new Set(before.map((b) => `s${b % i}`))];
          return step(`s${i}`, { after, needs: soft ? [] : after, holds: unit ? ["u"] : [], priority: [i % 3] });
        });
        const now = new Map<string, StepState>(steps.map((s) => [s.id, "waiting"]));
        const started = new Set<string>();
        for (let turn = 0; turn < 100; turn++) {
          const { start, skip } = nextSteps({ steps, units: { u: width } }, now);
          for (const { step: s } of skip) now.set(s.id, "skipped");
          for (const s of start) {
            expect(started.has(s.id)).toBe(false);
            started.add(s.id);
            for (const need of s.needs) expect(now.get(need)).toBe("done");
            for (const before of s.after) expect(["done", "failed", "skipped"]).toContain(now.get(before));
            now.set(s.id, "running");
          }
          const running = steps.filter((s) => now.get(s.id) === "running");
          expect(running.filter((s) => s.holds.length > 0).length).toBeLessThanOrEqual(width);
          const [ends] = running;
          if (!ends) break;
          now.set(ends.id, rows[Number(ends.id.slice(1))]!.fails === 0 ? "failed" : "done");
        }
        for (const s of steps) expect(["done", "failed", "skipped"]).toContain(now.get(s.id));
        for (const s of steps) if (now.get(s.id) === "skipped") expect(s.needs.some((n) => now.get(n) !== "done")).toBe(true);
      }),
    );
  });
});
