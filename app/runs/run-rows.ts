import { durationWords } from "#core/wording/amounts.ts";
import type { TimelineBar, TimelineRow } from "../charts/timeline.tsx";
import { STEP_WORDS } from "./step-words.ts";
import type { RunPage } from "./run-page.ts";

/** Rows of a run's timeline: what was measured, with what was projected beneath it; seconds from the run's beginning. */
export function runRows(run: RunPage, now: number): { rows: TimelineRow[]; end: number } {
  const elapsed = run.beganAt === null ? 0 : (Math.max(now, run.beganAt) - run.beganAt) / 1000;
  const bars = run.steps.map((step): TimelineBar & { service: string | null } => {
    const projected = { start: step.projectedStart, finish: step.projectedFinish };
    const began = step.startedAt === null || run.beganAt === null ? null : (step.startedAt - run.beganAt) / 1000;
    const ended = step.finishedAt === null || run.beganAt === null ? null : (step.finishedAt - run.beganAt) / 1000;
    const start = began ?? projected.start;
    const finish = began === null ? projected.finish : (ended ?? Math.max(start, elapsed));
    return { id: step.id, service: step.service, title: step.detail ? `${step.title} (${step.detail})` : step.title, short: `${STEP_WORDS[step.kind]}${step.machine ? ` ${step.machine}` : ""}`, start, finish, ready: start, waitsFor: null, onChain: false, machine: step.machine, state: step.state, ...(began === null ? {} : { projected }) };
  });
  const rows = run.services
    .filter((s) => s.state === "returns")
    .map((s): TimelineRow => {
      return {
        id: s.service,
        name: s.name,
        note: "",
        bars: bars.filter((b) => b.service === s.service),
        rto: null,
        verdict: s.measuredSeconds === null ? null : { text: `${s.measuredWords}${s.projectedSeconds === null ? "" : `, projected ${durationWords(s.projectedSeconds)}`}`, late: false },
        href: null,
        chosen: false,
      };
    });
  return { rows, end: Math.max(60, ...bars.flatMap((b) => [b.finish, b.projected?.finish ?? 0])) };
}
