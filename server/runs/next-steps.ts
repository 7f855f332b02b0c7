import type { PlannedStep, RunPlan } from "./run-plan.ts";

export type StepState = "waiting" | "running" | "hand" | "done" | "failed" | "skipped";

/**
 * What a run does next, from the plan and the states of its steps: steps whose predecessors are
 * over, and done where they are needed, start in order of priority while what they hold is free;
 * steps that need one that failed are skipped.
 */
export function nextSteps(plan: Pick<RunPlan, "steps" | "units">, states: ReadonlyMap<string, StepState>): { start: PlannedStep[]; skip: { step: PlannedStep; because: string }[] } {
  const steps = new Map(plan.steps.map((step) => [step.id, step]));
  const skipped = new Map<string, string>();
  const failedOrSkipped = (id: string): string | undefined => (states.get(id) === "failed" || states.get(id) === "skipped" || skipped.has(id) ? id : undefined);
  const isOver = (id: string): boolean => states.get(id) === "done" || failedOrSkipped(id) !== undefined;
  const skip: { step: PlannedStep; because: string }[] = [];
  for (let changed = true; changed; ) {
    changed = false;
    for (const step of plan.steps) {
      if (states.get(step.id) !== "waiting" || skipped.has(step.id)) continue;
      const blocker = step.needs.map(failedOrSkipped).find((id) => id !== undefined);
      if (blocker === undefined) continue;
      const because = states.get(blocker) === "failed" ? `“${steps.get(blocker)!.title}” failed` : `“${steps.get(blocker)!.title}” was not carried out`;
      skipped.set(step.id, because);
      skip.push({ step, because });
      changed = true;
    }
  }
  const held = new Map<string, number>();
  for (const step of plan.steps) if (states.get(step.id) === "running" || states.get(step.id) === "hand") for (const unit of step.holds) held.set(unit, (held.get(unit) ?? 0) + 1);
  const ready = plan.steps
    .map((step, place) => ({ step, place }))
    .filter(({ step }) => states.get(step.id) === "waiting" && !skipped.has(step.id) && step.after.every(isOver) && step.needs.every((id) => states.get(id) === "done"))
    .sort((a, b) => comparePriority(a.step.priority, b.step.priority) || a.place - b.place);
  const start: PlannedStep[] = [];
  for (const { step } of ready) {
    if (step.holds.some((unit) => (held.get(unit) ?? 0) >= (plan.units[unit] ?? 0))) continue;
    for (const unit of step.holds) held.set(unit, (held.get(unit) ?? 0) + 1);
    start.push(step);
  }
  return { start, skip };
}

function comparePriority(a: readonly number[], b: readonly number[]): number {
  for (let i = 0; i < Math.max(a.length, b.length); i++) if ((a[i] ?? 0) !== (b[i] ?? 0)) return (a[i] ?? 0) - (b[i] ?? 0);
  return 0;
}
