import { type Estate, byId, type ServiceId, type Strength } from "../estate/model.ts";
import { dependentBits, placesOf } from "./dependents.ts";
import { reachFrom } from "./reach.ts";

/** A dependency between two services that are shown; `through` others that are not, where it is not direct. */
export type ShownEdge = { from: ServiceId; to: ServiceId; strength: Strength; direct: boolean };

/** The services on which most others hang by hard dependencies, the most carrying first; of equals the first tier. */
export function mostCarrying(estate: Pick<Estate, "services">, most: number): { id: ServiceId; carries: number }[] {
  const bits = dependentBits(estate);
  const tiers = byId(estate.services);
  return [...bits]
    .map(([id, set]) => ({ id, carries: placesOf(set).length - 1 }))
    .sort((a, b) => b.carries - a.carries || tiers.get(a.id)!.tier - tiers.get(b.id)!.tier || (a.id < b.id ? -1 : 1))
    .slice(0, most);
}

/**
 * How services that are shown hang on each other, past those that are not: an edge wherever a way
 * leads from one to the other with none shown in between; hard where such a way is hard throughout.
 */
export function edgesAmong(estate: Pick<Estate, "services">, shown: ReadonlySet<ServiceId>): ShownEdge[] {
  const services = byId(estate.services);
  const needs = (strengths: readonly Strength[]) => (id: ServiceId) => services.get(id)!.dependsOn.filter((d) => strengths.includes(d.strength)).map((d) => d.service);
  return [...shown].flatMap((from) => {
    const isHidden = (id: ServiceId): boolean => !shown.has(id);
    const hard = reachFrom(from, needs(["hard"]), isHidden);
    const direct = new Map(services.get(from)!.dependsOn.map((d) => [d.service, d.strength]));
    return [...reachFrom(from, needs(["hard", "soft"]), isHidden).keys()]
      .filter((to) => to !== from && shown.has(to))
      .map((to): ShownEdge => ({ from, to, strength: direct.get(to) ?? (hard.has(to) ? "hard" : "soft"), direct: direct.has(to) }));
  });
}
