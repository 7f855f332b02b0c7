import type { CopyFact } from "../copies/copy-fact.ts";
import { byId, type Estate, type StoreId } from "../estate/model.ts";
import { outageOf, serviceStates } from "./closure.ts";

/** What would go if something were lost: the site, the host, the store or the hazard by itself. */
export type GoesWith = {
  services: { down: string[]; impaired: string[]; stay: string[] };
  machines: number;
  hosts: { count: number; cores: number };
  /** Lost stores, the points in them, and how many of these survive whole in another store. */
  stores: { id: StoreId; name: string; points: number; elsewhere: number }[];
  links: string[];
  /** Where the coordinator returns and within how many seconds; null where it is not touched. */
  coordinator: { site: string; seconds: number } | null;
};

/** Names, not ids, except for stores. `facts` are those known at the instant that is asked about. */
export function goesWith(estate: Estate, facts: readonly CopyFact[], lost: string): GoesWith {
  const outage = outageOf(estate, [lost]);
  const states = serviceStates(estate, outage);
  const named = (kind: string): string[] => estate.services.filter((s) => states.get(s.id)!.kind === kind).map((s) => s.name);
  const hosts = estate.hosts.filter((h) => outage.hosts.has(h.id));
  const whole = facts.filter((f) => f.state === "whole");
  const surviving = new Set(whole.filter((f) => !outage.stores.has(f.store)).map((f) => f.point));
  const sites = byId(estate.sites);
  return {
    services: { down: named("down"), impaired: named("impaired"), stay: named("up") },
    machines: outage.machines.size,
    hosts: { count: hosts.length, cores: hosts.reduce((n, h) => n + h.cores, 0) },
    stores: estate.stores
      .filter((s) => outage.stores.has(s.id))
      .map((s) => {
        const points = new Set(whole.filter((f) => f.store === s.id).map((f) => f.point));
        return { id: s.id, name: s.name, points: points.size, elsewhere: [...points].filter((p) => surviving.has(p)).length };
      }),
    links: estate.links.filter((l) => outage.links.has(l.id)).map((l) => l.between.map((s) => sites.get(s)!.name).join(" – ")),
    coordinator: outage.coordinator ? { site: sites.get(estate.coordinator.returns.site)!.name, seconds: estate.coordinator.returns.seconds } : null,
  };
}
