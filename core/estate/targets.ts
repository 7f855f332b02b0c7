import { dependencyLoops } from "../graph/loops.ts";
import { reachFrom, wayTo } from "../graph/reach.ts";
import { durationWords, listWords } from "../wording/amounts.ts";
import { byId, type Estate, type Service, type ServiceId, siteOfMachine } from "./model.ts";

/** Something that cannot hold together in what a service is to withstand. */
export type TargetFault = { kind: "rto" | "rpo" | "impact" | "copies-in" | "loop"; service: ServiceId; sentence: string; remedy: string; path: ServiceId[] };

/**
 * A service that may be away, or lose, less than one it hard depends on: the nearest such along
 * every way, with the way to it. What lies beyond such a one is a matter between it and that one.
 */
export function tighterThanNeeded(estate: Pick<Estate, "services">, service: Service, target: "rto" | "rpo"): { on: Service; path: ServiceId[] }[] {
  const services = byId(estate.services);
  const looser = (id: ServiceId): boolean => services.get(id)![target] > service[target];
  const hard = (id: ServiceId): ServiceId[] => services.get(id)!.dependsOn.filter((d) => d.strength === "hard").map((d) => d.service);
  const reached = reachFrom(service.id, hard, (id) => !looser(id));
  return [...reached.keys()].filter((id) => id !== service.id && looser(id)).map((id) => ({ on: services.get(id)!, path: wayTo(reached, id) }));
}

/** Everything about a service's targets, or what it may lean on, that contradicts something else written down. */
export function targetFaults(estate: Estate): TargetFault[] {
  const services = byId(estate.services);
  const names = (ids: readonly ServiceId[]): string => ids.map((id) => services.get(id)!.name).join(" → ");
  return [
    ...estate.services.flatMap((service) =>
      (["rto", "rpo"] as const).flatMap((target) =>
        tighterThanNeeded(estate, service, target).map(({ on, path }): TargetFault => {
          const may = target === "rto" ? "be away" : "lose";
          return {
            kind: target,
            service: service.id,
            path,
            sentence: `${service.name} may ${may} ${durationWords(service[target])}, and ${on.name}, which it needs, ${durationWords(on[target])} (${names(path)}).`,
            remedy: `Tighten the ${target.toUpperCase()} of ${on.name} to ${durationWords(service[target])}, or make the dependency soft if ${service.name} can do without it for a while.`,
          };
        }),
      ),
    ),
    ...estate.services.flatMap(impactFault),
    ...copiesAbroad(estate),
    ...dependencyLoops(estate)
      .flatMap((l) => l.open)
      .map((ids): TargetFault => ({ kind: "loop", service: ids[0]!, path: ids, sentence: `${listWords(ids.map((id) => services.get(id)!.name), 6)} need each other, and nothing says which of them starts first.`, remedy: "Make one of the dependencies soft, or state the order in which they start." })),
  ];
}

/** The impact is felt as high before the longest time that the service may be away has passed. */
function impactFault(service: Service): TargetFault[] {
  const high = service.impact.find((i) => i.level === "high");
  if (!high || service.mtd === null || high.after >= service.mtd) return [];
  return [{ kind: "impact", service: service.id, path: [], sentence: `${service.name} is missed badly after ${durationWords(high.after)} (${high.what}), and its MTD is ${durationWords(service.mtd)}.`, remedy: `Bring the MTD down to ${durationWords(high.after)}, or judge the impact anew.` }];
}

/** Stores outside the countries in which a service's copies may lie; what a store keeps in a second site counts too. */
function copiesAbroad(estate: Estate): TargetFault[] {
  const stores = byId(estate.stores);
  const sites = byId(estate.sites);
  const legs = new Map<string, Set<string>>();
  for (const policy of estate.policies) for (const id of policy.machines) legs.set(id, new Set([...(legs.get(id) ?? []), ...policy.legs.map((l) => l.to)]));
  return estate.services.flatMap((service) => {
    const allowed = service.copiesIn;
    if (!allowed) return [];
    const abroad = new Map<string, string>();
    for (const machine of service.machines)
      for (const id of legs.get(machine) ?? []) {
        const store = stores.get(id)!;
        const where = [store.site, store.redundancy?.secondSite].flatMap((s) => (s ? [sites.get(s)!] : [])).find((s) => !allowed.includes(s.country));
        if (where) abroad.set(store.name, `${store.name} (${where.country})`);
      }
    if (abroad.size === 0) return [];
    return [{ kind: "copies-in" as const, service: service.id, path: [], sentence: `Copies of ${service.name} may lie in ${listWords(allowed)} only, and are sent to ${listWords([...abroad.values()])}.`, remedy: "Leave that store out for its machines, or have the restriction lifted in writing." }];
  });
}

/** Groups whose machines are not captured at one instant by any policy, and so never agree. */
export function groupFaults(estate: Estate): { group: string; sentence: string; remedy: string }[] {
  const machines = byId(estate.machines);
  return estate.groups
    .filter((g) => !estate.policies.some((p) => g.machines.every((m) => p.machines.includes(m))))
    .map((g) => {
      const where = g.machines.map((m) => `${machines.get(m)!.name} at ${byId(estate.sites).get(siteOfMachine(estate, machines.get(m)!))!.name}`);
      return { group: g.id, sentence: `The machines of ${g.name} (${listWords(where)}) are to come back to one instant, and no policy copies all of them together.`, remedy: "Put them into one policy." };
    });
}
