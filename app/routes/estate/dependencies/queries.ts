import { byId } from "#core/estate/model.ts";
import { dependencyLoops } from "#core/graph/loops.ts";
import { reachFrom } from "#core/graph/reach.ts";
import { outageOf, serviceStates } from "#core/outage/closure.ts";
import { singlePoints } from "#core/outage/single-points.ts";
import { durationWords } from "#core/wording/amounts.ts";
import type { Application } from "#server/application.ts";
import { estateVersion } from "#server/estate/last-change.ts";
import { outlook } from "#server/outlook.ts";

export const FOCUSES = ["all", "around", "down", "up"] as const;
export type Focus = (typeof FOCUSES)[number];
const RANKED = 40;

/** Services and what hangs on what, as it would stand after the loss at the needle; whole, or around one of them. */
export async function readDependencies(app: Application, organisationId: string, asked: { at: string | null; lost: string[] }, chosen: string | null, focus: Focus) {
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
  const shown = !service || focus === "all" ? null : new Set([...(focus !== "up" ? below.keys() : []), ...(focus !== "down" ? above.keys() : [])]);
  const isShown = (id: string): boolean => shown === null || shown.has(id);
  return {
    base: await estateVersion(app.connection.db, organisationId),
    total: estate.services.length,
    nodes: estate.services.filter((s) => isShown(s.id)).map((s) => ({ id: s.id, name: s.name, tier: s.tier, state: states.get(s.id)!.kind, aside: durationWords(s.rto) })),
    edges: estate.services.filter((s) => isShown(s.id)).flatMap((s) => s.dependsOn.filter((d) => isShown(d.service)).map((d) => ({ from: s.id, to: d.service, strength: d.strength }))),
    loops: dependencyLoops(estate).filter((l) => l.services.every(isShown)),
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
export type DependenciesView = NonNullable<Awaited<ReturnType<typeof readDependencies>>>;
