import { byId } from "#core/estate/model.ts";
import { edgesAmong, mostCarrying } from "#core/graph/carriers.ts";
import { dependencyLoops } from "#core/graph/loops.ts";
import { reachFrom } from "#core/graph/reach.ts";
import { outageOf, serviceStates } from "#core/outage/closure.ts";
import { singlePoints } from "#core/outage/single-points.ts";
import { durationWords } from "#core/wording/amounts.ts";
import type { Application } from "#server/application.ts";
import { shownVersion } from "#server/estate/last-change.ts";
import { outlook } from "#server/outlook.ts";

export const FOCUSES = ["main", "all", "around", "down", "up"] as const;
export type Focus = (typeof FOCUSES)[number];
/** Beyond so many a drawing is only looked at from afar: those that carry most, or stand nearest, come first. */
const DRAWN_MOST = 40;
const RANKED = 40;

/** Services and what hangs on what, as it would stand after the loss at the needle; whole, or around one of them. */
export async function readDependencies(app: Application, organisationId: string, asked: { at: string | null; lost: string[] }, chosen: string | null, wanted: Focus | null) {
  const view = await outlook(app, organisationId, asked);
  if (!view) return null;
  const { estate, lost } = view;
  const services = byId(estate.services);
  const states = serviceStates(estate, outageOf(estate, lost));
  const service = services.get(chosen ?? "") ?? null;
  const dependents = new Map<string, string[]>(estate.services.map((s) => [s.id, []]));
  for (const s of estate.services) for (const d of s.dependsOn) dependents.get(d.service)!.push(s.id);
  const needed = (id: string): string[] => services.get(id)!.dependsOn.map((d) => d.service);
  const below = service ? reachFrom(service.id, needed) : new Map<string, null>();
  const above = service ? reachFrom(service.id, (id) => dependents.get(id)!) : new Map<string, null>();
  const isLarge = estate.services.length > DRAWN_MOST;
  const focus: Focus = wanted === null || (!service && wanted !== "all" && wanted !== "main") ? (isLarge ? (service ? "around" : "main") : "all") : wanted;
  const around = focus === "down" ? [...below.keys()] : focus === "up" ? [...above.keys()] : nearestOfBoth([...below.keys()], [...above.keys()]);
  const carrying = mostCarrying(estate, DRAWN_MOST);
  const shown = new Set(focus === "all" ? estate.services.map((s) => s.id) : focus === "main" ? carrying.map((c) => c.id) : around.slice(0, DRAWN_MOST));
  const carries = new Map(focus === "main" ? carrying.map((c) => [c.id, c.carries]) : []);
  return {
    base: await shownVersion(app.connection.db, organisationId, view.changedSince),
    total: estate.services.length,
    focus,
    /** How many would be drawn if there were no end to it. */
    wouldBe: focus === "all" || focus === "main" ? estate.services.length : around.length,
    direct: estate.services.reduce((n, s) => n + s.dependsOn.length, 0),
    nodes: estate.services.filter((s) => shown.has(s.id)).map((s) => ({ id: s.id, name: s.name, tier: s.tier, state: states.get(s.id)!.kind, aside: carries.has(s.id) ? `carries ${carries.get(s.id)}` : durationWords(s.rto) })),
    edges: edgesAmong(estate, shown),
    loops: dependencyLoops(estate).filter((l) => l.services.every((id) => shown.has(id))),
    names: estate.services.map((s) => ({ id: s.id, name: s.name })),
    points: singlePoints(estate, 2, RANKED).map((p) => ({ ...p, services: p.services.map((id) => services.get(id)!.name) })),
    chosen: service && {
      id: service.id,
      name: service.name,
      tier: service.tier,
      owner: service.owner,
      state: states.get(service.id)!,
      needs: service.dependsOn.map((d) => ({ id: d.service, name: services.get(d.service)!.name, strength: d.strength })),
      neededBy: estate.services.flatMap((s) => s.dependsOn.filter((d) => d.service === service.id).map((d) => ({ id: s.id, name: s.name, strength: d.strength }))),
      below: below.size - 1,
      above: above.size - 1,
    },
  };
}
/** Two lists in the order of their distance, one from each in turn. */
function nearestOfBoth(a: readonly string[], b: readonly string[]): string[] {
  return [...new Set(Array.from({ length: Math.max(a.length, b.length) }, (_, i) => [a[i], b[i]].filter((id) => id !== undefined)).flat())];
}
export type DependenciesView = NonNullable<Awaited<ReturnType<typeof readDependencies>>>;
