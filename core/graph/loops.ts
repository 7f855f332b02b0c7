import type { Estate, Service, ServiceId } from "../estate/model.ts";
import { strongGroups } from "./strong-groups.ts";

/**
 * Services that need each other, by whatever edges; `broken` tells what lets one of them start first,
 * null where nothing does. `open` are those that hard dependencies alone bind, and no order parts.
 */
export type Loop = { services: ServiceId[]; broken: "soft" | "order" | null; open: ServiceId[][] };

/** Whether every one has a place in the order of starting, and no two the same. */
export const isOrdered = (services: readonly Service[]): boolean => new Set(services.flatMap((s) => s.startOrder ?? [])).size === services.length;

/** All loops of an estate's dependencies, in the order in which they can start. Linear. */
export function dependencyLoops(estate: Pick<Estate, "services">): Loop[] {
  const services = new Map(estate.services.map((s) => [s.id, s]));
  const needs = (strengths: readonly string[]) => (id: ServiceId) => services.get(id)!.dependsOn.filter((d) => strengths.includes(d.strength)).map((d) => d.service);
  return strongGroups([...services.keys()], needs(["hard", "soft"]))
    .filter((g) => g.length > 1)
    .map((group) => {
      const hard = strongGroups(group, needs(["hard"])).filter((g) => g.length > 1);
      if (hard.length === 0) return { services: group, broken: "soft", open: [] };
      const open = hard.filter((g) => !isOrdered(g.map((id) => services.get(id)!)));
      return { services: group, broken: open.length === 0 ? "order" : null, open };
    });
}
