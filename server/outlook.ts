import type { CopyFact } from "#core/copies/copy-fact.ts";
import { measuredLags, projectedLags, scheduledCopies } from "#core/copies/legs.ts";
import type { Estate } from "#core/estate/model.ts";
import { askedInstant, askedLosses, type Question } from "#core/outage/question.ts";
import { countWords } from "#core/wording/amounts.ts";
import { type SiteHurt, sitesByHurt } from "#core/readiness/worst-site.ts";
import type { Application } from "./application.ts";
import { loadCopyFacts } from "./db/queries/copies.ts";
import { loadEstate } from "./db/queries/estate.ts";
import { estateAt, estateVersion } from "./estate/last-change.ts";
import { loadSchedules } from "./db/queries/work.ts";

/** What is known when a page answers for a strike and a loss. */
export type Outlook = Question & {
  now: number;
  estate: Estate;
  /** Copies there are, and, for a strike ahead of now, those the running schedules will have made. */
  facts: CopyFact[];
  sites: SiteHurt[];
  /** How many things have changed since the strike, where the estate is taken as it was then. */
  changedSince: number;
};

const shared = new WeakMap<Application, Map<string, Promise<Outlook | null>>>();

/** For one request that only reads: frame and page ask the same question, which is then answered once. */
export function forOneReading(app: Application): Application {
  const one = { ...app };
  shared.set(one, new Map());
  return one;
}

/** Reads estate and copies and settles the question; null where no estate has been described. */
export function outlook(app: Application, organisationId: string, asked: { at: string | null; lost: readonly string[] }): Promise<Outlook | null> {
  const answers = shared.get(app);
  const key = JSON.stringify([organisationId, asked.at, asked.lost]);
  const answer = answers?.get(key) ?? readOutlook(app, organisationId, asked);
  answers?.set(key, answer);
  return answer;
}

async function readOutlook(app: Application, organisationId: string, asked: { at: string | null; lost: readonly string[] }): Promise<Outlook | null> {
  const { db } = app.connection;
  const [today, real, schedules, now] = await Promise.all([loadEstate(db, organisationId), loadCopyFacts(db, organisationId), loadSchedules(db, organisationId), app.world.now()]);
  if (!today) return null;
  const { at, isNow, notes } = askedInstant(asked.at, now);
  const { estate, changed } = at < now ? await estateAt(db, organisationId, today, at) : { estate: today, changed: 0 };
  if (changed > 0) notes.push(`The estate is taken as it was then; ${countWords(changed, "thing has", "things have")} changed in it since.`);
  const facts = at > now ? [...real, ...copiesAhead(estate, real, schedules.filter((s) => s.running).map((s) => s.policyId), now, at)] : real;
  if (at > now) notes.push(aheadNote(schedules.some((s) => s.running)));
  const sites = await knownHurt(app, estate, changed, facts, at);
  const chosen = askedLosses(estate, asked.lost);
  notes.push(...chosen.notes);
  const lost = chosen.lost.length > 0 ? chosen.lost : sites.slice(0, 1).map((s) => s.site);
  return { now, at, isNow, lost, notes, estate, facts, sites, changedSince: changed };
}

const HURT_KEPT = 30;
const hurt = new WeakMap<Application["connection"], Map<string, SiteHurt[]>>();

/**
 * How much each site's loss would hurt takes a whole assessment a site: it is kept for as long as the
 * estate, the copies and the minute stay the same. Nothing but the order of sites hangs on it.
 */
async function knownHurt(app: Application, estate: Estate, changed: number, facts: readonly CopyFact[], at: number): Promise<SiteHurt[]> {
  const organisationId = estate.organisation.id;
  const kept = hurt.get(app.connection) ?? new Map<string, SiteHurt[]>();
  hurt.set(app.connection, kept);
  const damaged = facts.reduce((n, f) => n + (f.state === "damaged" ? 1 : 0), 0);
  const key = [organisationId, await estateVersion(app.connection.db, organisationId), changed, facts.length, facts.at(-1)?.arrivedAt, damaged, changed > 0 ? at : Math.floor(at / 60_000)].join("/");
  const had = kept.get(key);
  if (had) return had;
  if (kept.size >= HURT_KEPT) kept.clear();
  const found = sitesByHurt(estate, facts, at);
  kept.set(key, found);
  return found;
}

const aheadNote = (running: boolean): string =>
  running
    ? "Ahead of now: copies are assumed to arrive by the schedule with the last measured durations. How transfers will share the links is not simulated yet."
    : "Ahead of now: no schedule is running, so no further copies are assumed.";

/** Lags that were never measured come from the model. */
function copiesAhead(estate: Estate, real: readonly CopyFact[], policies: readonly string[], now: number, at: number): CopyFact[] {
  const measured = measuredLags(real);
  return estate.policies
    .filter((policy) => policies.includes(policy.id))
    .flatMap((policy) => scheduledCopies(estate, policy, new Map([...projectedLags(estate, policy, now), ...measured]), now + 1, at));
}
