import type { Timeline, TimelineStep } from "./simulate.ts";

/** How many units of a resource are held from an instant on, in seconds from the start, until the next entry. */
export type UsageStep = { at: number; held: number };

/** Held units over time for every unit resource that some step holds, in order of first use. */
export function unitUsage(steps: readonly TimelineStep[], timeline: Timeline): Map<string, UsageStep[]> {
  const changes = new Map<string, Map<number, number>>();
  const add = (unit: string, at: number, by: number): void => {
    const of = changes.get(unit) ?? new Map<number, number>();
    changes.set(unit, of.set(at, (of.get(at) ?? 0) + by));
  };
  for (const step of steps) {
    const timed = timeline.steps.get(step.id)!;
    for (const unit of step.holds) {
      add(unit, timed.start, 1);
      add(unit, timed.finish, -1);
    }
  }
  return new Map(
    [...changes].map(([unit, of]) => {
      let held = 0;
      return [unit, [...of].sort(([a], [b]) => a - b).map(([at, by]) => ({ at, held: (held += by) }))];
    }),
  );
}
