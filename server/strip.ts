import { scheduledCopies, measuredLags, projectedLags } from "#core/copies/legs.ts";
import { REACH_AHEAD_SECONDS, REACH_BACK_SECONDS } from "#core/outage/question.ts";
import type { Application } from "./application.ts";
import { type Arrivals, arrivalsSince, type RunSpan, runsSince } from "./db/queries/strip.ts";
import { loadSchedules, openWork } from "./db/queries/work.ts";
import { legStates } from "./jobs/under-way.ts";
import { outlook, type Outlook } from "./outlook.ts";

/** Work as the strip lists it. */
export type StripWork = { id: string; kind: string; title: string; state: string; failure: string | null; note: string | null };

export type Strip = { outlook: Outlook | null; arrivals: Arrivals[]; ahead: Arrivals[]; runs: RunSpan[]; works: StripWork[]; legs: ReturnType<typeof legStates> };

/** Everything that stands on the time strip. */
export async function loadStrip(app: Application, organisationId: string, asked: { at: string | null; lost: readonly string[] }): Promise<Strip> {
  const { db } = app.connection;
  const view = await outlook(app, organisationId, asked);
  const since = (view?.now ?? 0) - REACH_BACK_SECONDS * 1000;
  const [arrivals, runs, works, schedules] = await Promise.all([arrivalsSince(db, organisationId, since), runsSince(db, organisationId, since), openWork(db, organisationId), loadSchedules(db, organisationId)]);
  const running = schedules.filter((s) => s.running).map((s) => s.policyId);
  const names = new Map(view?.estate.machines.map((m) => [m.id, m.name]));
  return {
    outlook: view,
    arrivals,
    ahead: view ? arrivalsAhead(view, running) : [],
    runs,
    legs: legStates(works),
    works: works.map((w) => ({ id: w.id, kind: w.kind, state: w.state, failure: w.failure, note: w.progress.note ?? null, title: w.subject.kind === "copy" ? (names.get(w.subject.machine) ?? w.subject.machine) : "name" in w.subject ? w.subject.name : w.kind })),
  };
}

/** Rounds that the running schedules will make, with the last measured durations. */
function arrivalsAhead({ estate, facts, now }: Outlook, running: readonly string[]): Arrivals[] {
  const rounds = new Map<string, Arrivals>();
  const measured = measuredLags(facts);
  for (const policy of estate.policies.filter((p) => running.includes(p.id))) {
    const lags = new Map([...projectedLags(estate, policy, now), ...measured]);
    for (const copy of scheduledCopies(estate, policy, lags, now + 1, now + REACH_AHEAD_SECONDS * 1000)) {
      const key = `${copy.capturedAt}/${copy.store}`;
      const round = rounds.get(key);
      if (!round) rounds.set(key, { store: copy.store, from: copy.capturedAt, to: copy.arrivedAt, count: 1 });
      else rounds.set(key, { ...round, to: Math.max(round.to, copy.arrivedAt), count: round.count + 1 });
    }
  }
  return [...rounds.values()];
}
