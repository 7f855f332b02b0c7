import type { Work } from "#core/timeline/simulate.ts";
import type { MachinePlan, RunbookStep, TimedRunbook } from "#core/runbook/runbook.ts";
import type { ServiceId } from "#core/estate/model.ts";

/** What a run sets out to do, as it was projected when it began; plain JSON. */
export type RunPlan = {
  at: number;
  lost: string[];
  purpose: "rehearsal";
  /** Services asked for; those that came along because these need them are among `services` too. */
  asked: ServiceId[];
  steps: PlannedStep[];
  units: Record<string, number>;
  machines: MachinePlan[];
  services: { service: ServiceId; name: string; state: "returns" | "cannot"; reason: string | null; rto: number; rpo: number; lossSeconds: number | null }[];
  /** Assumed seconds from the strike to the declaration (and the coordinator's return), which a rehearsal does not measure. */
  before: { detection: number; decision: number; coordinator: number };
  notes: string[];
};

export type PlannedStep = Pick<RunbookStep, "id" | "kind" | "title" | "actor" | "service" | "machine"> & {
  after: string[];
  needs: string[];
  priority: number[];
  holds: string[];
  work: Work;
  projectedStart: number;
  projectedFinish: number;
};

export function plannedSteps(runbook: TimedRunbook): PlannedStep[] {
  return runbook.steps.map((step) => {
    const timed = runbook.timeline.steps.get(step.id)!;
    const { id, kind, title, actor, service, machine, work } = step;
    return { id, kind, title, actor, service, machine, work, after: [...step.after], needs: [...step.needs], priority: [...step.priority], holds: [...step.holds], projectedStart: timed.start, projectedFinish: timed.finish };
  });
}
