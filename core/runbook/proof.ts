import type { ServiceId } from "../estate/model.ts";
import type { StepKind } from "./runbook.ts";

/** Grades of proof, each including those before it. */
export const GRADES = ["none", "brought-back", "boots", "answers", "confirmed"] as const;
export type Grade = (typeof GRADES)[number];

export const GRADE_WORDS: Record<Grade, string> = {
  none: "nothing proved",
  "brought-back": "brought back",
  boots: "boots",
  answers: "service answers",
  confirmed: "owner confirmed its data",
};

export type MeasuredStep = { id: string; kind: StepKind; service: ServiceId | null; machine: string | null; state: string; startedAt: number | null; finishedAt: number | null };

/** The grade a service's steps have reached in a run; a machine shared with another service counts for both. */
export function gradeReached(steps: readonly MeasuredStep[], service: ServiceId, machines: readonly string[], confirmed: boolean): Grade {
  const done = (kind: StepKind): boolean => {
    const mine = steps.filter((s) => s.kind === kind && (s.machine === null ? s.service === service : machines.includes(s.machine)));
    return mine.length > 0 && mine.every((s) => s.state === "done");
  };
  const hasMachines = steps.some((s) => s.machine !== null && machines.includes(s.machine));
  if (hasMachines && !done("bring-back")) return "none";
  if (hasMachines && !done("boot")) return "brought-back";
  if (!done("check")) return hasMachines ? "boots" : "none";
  return confirmed ? "confirmed" : "answers";
}

/** Seconds from the declaration (a rehearsal's beginning) to serviceable; null where the service never answered. */
export function measuredServiceable(steps: readonly MeasuredStep[], service: ServiceId, beganAt: number): number | null {
  const check = steps.find((s) => s.kind === "check" && s.service === service);
  return check?.state === "done" && check.finishedAt !== null ? (check.finishedAt - beganAt) / 1000 : null;
}
