import { and, eq } from "drizzle-orm";
import { isNeededAt, neededSeconds } from "#core/estate/hours.ts";
import { byId, type Estate, siteOfMachine } from "#core/estate/model.ts";
import { categoryOfAll, highWaterMark } from "#core/estate/security-category.ts";
import { targetFaults } from "#core/estate/targets.ts";
import { changesUnder } from "#core/estate/under.ts";
import { reachFrom } from "#core/graph/reach.ts";
import { checkLines, contactLines, hoursLines, impactLines } from "#formats/estate/service-lines.ts";
import { toRaw } from "#formats/estate/write-estate.ts";
import type { Application } from "#server/application.ts";
import { loadEstate } from "#server/db/queries/estate.ts";
import { checkAccounts, checkTrials } from "#server/db/schema.ts";
import { knownGaps } from "#server/estate/known-gaps.ts";
import { estateAt, estateVersion, OF_THE_PAST } from "#server/estate/last-change.ts";
import { storedBytes } from "#server/db/queries/copies.ts";
import { outlook } from "#server/outlook.ts";
import { readReadiness } from "../../readiness/queries.ts";

const MOST_CHANGES = 40;

/** One service: how it would fare, what it is to withstand, what proves it is up, what changed under it; null where there is none of this id. */
export async function readService(app: Application, organisationId: string, asked: { at: string | null; lost: string[] }, id: string) {
  const view = await outlook(app, organisationId, asked);
  const service = view?.estate.services.find((s) => s.id === id);
  if (!view || !service) return null;
  const { db } = app.connection;
  const { estate, at, now } = view;
  const readiness = await readReadiness(app, organisationId, asked, id);
  const row = readiness!.rows.find((r) => r.service === id)!;
  const base = await estateVersion(db, organisationId);
  const mine = (t: typeof checkTrials | typeof checkAccounts) => and(eq(t.organisationId, organisationId), eq(t.serviceId, id));
  const [trial] = await db.select().from(checkTrials).where(mine(checkTrials));
  const [account] = await db.select({ id: checkAccounts.serviceId }).from(checkAccounts).where(mine(checkAccounts));
  const services = byId(estate.services);
  const dependents = estate.services.filter((s) => s.dependsOn.some((d) => d.service === id));
  const gaps = knownGaps(db, estate, base, at, await storedBytes(db, organisationId), view.changedSince).filter((g) => g.about.kind === "services" && g.about.ids[0] === id);
  const zone = estate.organisation.timeZone;
  const away = row.recovery?.serviceable ?? null;
  return {
    base: view.changedSince > 0 ? OF_THE_PAST : base,
    row,
    reason: readiness!.lostNames,
    service,
    lines: linesOf(estate, id),
    needed: { now: isNeededAt(service.hours, zone, at), away: away === null ? null : neededSeconds(service.hours, zone, at, away) },
    category: service.category ? { ...service.category, overall: highWaterMark(service.category), carried: carriedBy(estate, id) } : null,
    faults: [...targetFaults(estate).filter((f) => f.service === id && f.kind !== "loop").map(({ sentence, remedy }) => ({ sentence, remedy })), ...gaps.map(({ sentence, remedy }) => ({ sentence, remedy }))].filter((f, i, all) => all.findIndex((o) => o.sentence === f.sentence) === i),
    needs: service.dependsOn.map((d) => ({ id: d.service, name: services.get(d.service)!.name, strength: d.strength })),
    neededBy: dependents.map((s) => ({ id: s.id, name: s.name, strength: s.dependsOn.find((d) => d.service === id)!.strength })),
    machines: machinesOf(estate, service.machines, new Map((readiness!.chosen?.machines ?? []).map((m) => [m.id, m]))),
    groups: estate.groups.filter((g) => g.machines.some((m) => service.machines.includes(m))),
    checks: service.checks.map((check) => ({ check, trial: trial?.trials.find((t) => JSON.stringify(t.check) === JSON.stringify(check)) ?? null })),
    triedAt: trial?.triedAt ?? null,
    hasAccount: account !== undefined,
    since: await sinceRehearsal(app, organisationId, id, row.proof),
    at,
    now,
  };
}
export type ServiceView = NonNullable<Awaited<ReturnType<typeof readService>>>;

/** The lists as they are typed. */
function linesOf(estate: Estate, id: string) {
  const raw = toRaw(estate).services.find((s) => s.id === id)!;
  return { rto: raw.rto, rpo: raw.rpo, mtd: raw.mtd ?? "", wrt: raw.wrt ?? "", impact: impactLines(raw.impact), hours: hoursLines(raw.hours), contacts: contactLines(raw.contacts), checks: checkLines(raw.checks ?? []) };
}

/** The category once everything that hard depends on the service is taken in; null where that says nothing more. */
function carriedBy(estate: Estate, id: string) {
  const services = byId(estate.services);
  const dependents = new Map<string, string[]>(estate.services.map((s) => [s.id, []]));
  for (const s of estate.services) for (const d of s.dependsOn) if (d.strength === "hard") dependents.get(d.service)!.push(s.id);
  const all = [...reachFrom(id, (s) => dependents.get(s)!).keys()].flatMap((s) => services.get(s)!.category ?? []);
  return categoryOfAll(all)?.availability ?? null;
}

/** Where each machine stands, from where it would come back, and in which countries its copies lie. */
function machinesOf(estate: Estate, ids: readonly string[], planned: ReadonlyMap<string, { capturedAt: number | null; store: string | null; host: string | null }>) {
  const machines = byId(estate.machines);
  const sites = byId(estate.sites);
  const stores = byId(estate.stores);
  return ids.map((id) => {
    const machine = machines.get(id)!;
    const legs = estate.policies.filter((p) => p.machines.includes(id)).flatMap((p) => p.legs.map((l) => stores.get(l.to)!));
    const plan = planned.get(id);
    return { id, name: machine.name, site: sites.get(siteOfMachine(estate, machine))!.name, stores: [...new Set(legs.map((s) => `${s.name} (${sites.get(s.site)!.country})`))], capturedAt: plan?.capturedAt ?? null, from: plan?.store ?? null, onto: plan?.host ?? null };
  });
}

/** What has changed in it and under it since its last rehearsal, up to now; null where it was never rehearsed. */
async function sinceRehearsal(app: Application, organisationId: string, id: string, proof: { at: number; number: number; run: string } | null) {
  if (!proof) return null;
  const { db } = app.connection;
  const today = (await loadEstate(db, organisationId))!;
  const then = await estateAt(db, organisationId, today, proof.at);
  const changes = changesUnder(then.estate, today, id);
  return { run: proof.run, number: proof.number, at: proof.at, total: changes.length, changes: changes.slice(0, MOST_CHANGES) };
}
