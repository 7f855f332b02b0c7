import { countWords, durationWords } from "#core/wording/amounts.ts";
import type { readRunbook, RunbookRowView } from "./queries.ts";

/** How many steps, for how long, and when the first tier is back. */
export function runbookSubline(view: NonNullable<Awaited<ReturnType<typeof readRunbook>>>): string {
  if (view.rows.length === 0) return view.noRunbook ?? "No service that is down can be brought back.";
  const first = Math.min(...view.rows.map((r) => r.tier));
  const when = (rows: readonly RunbookRowView[]): string => durationWords(Math.max(...rows.map((r) => r.serviceable)));
  return `${countWords(view.steps.length, "step")}, ${countWords(view.machines.length, "machine")} · tier ${first} in ${when(view.rows.filter((r) => r.tier === first))}, all that can return in ${when(view.rows)}${view.cannot.length > 0 ? ` · ${view.cannot.length} cannot` : ""}`;
}
