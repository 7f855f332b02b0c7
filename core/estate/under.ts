import { reachFrom } from "../graph/reach.ts";
import { difference, type ItemDifference } from "./difference.ts";
import { byId, type Estate, type ServiceId } from "./model.ts";

/**
 * Everything a service stands on, as `kind/id`: the services it needs by whatever edges, their
 * machines, hosts, sites, networks, groups, policies and stores, keys of these, the lines between
 * the sites, landing zones there, and the assumptions that every run shares.
 */
export function itemsUnder(estate: Estate, service: ServiceId): Set<string> {
  const items = new Set<string>();
  if (!byId(estate.services).has(service)) return items;
  const add = (kind: string, ids: Iterable<string>): Set<string> => {
    const all = new Set(ids);
    for (const id of all) items.add(`${kind}/${id}`);
    return all;
  };
  const services = byId(estate.services);
  const needed = add("services", reachFrom(service, (id) => services.get(id)!.dependsOn.map((d) => d.service)).keys());
  const machines = add("machines", [...needed].flatMap((id) => services.get(id)!.machines));
  const policies = estate.policies.filter((p) => p.machines.some((m) => machines.has(m)));
  add("policies", policies.map((p) => p.id));
  add("groups", estate.groups.filter((g) => g.machines.some((m) => machines.has(m))).map((g) => g.id));
  const stores = add("stores", policies.flatMap((p) => p.legs.map((l) => l.to)));
  add("keys", estate.keys.filter((k) => k.opens.some((s) => stores.has(s))).map((k) => k.id));
  const hosts = add("hosts", estate.machines.filter((m) => machines.has(m.id)).map((m) => m.host));
  const sites = add("sites", [...estate.hosts.filter((h) => hosts.has(h.id)).map((h) => h.site), ...estate.stores.filter((s) => stores.has(s.id)).map((s) => s.site)]);
  add("networks", estate.machines.filter((m) => machines.has(m.id)).flatMap((m) => (m.attached ?? []).map((a) => a.network)));
  add("links", estate.links.filter((l) => l.between.every((s) => sites.has(s))).map((l) => l.id));
  add("landings", estate.landings.filter((l) => sites.has(l.site)).map((l) => l.id));
  items.add("assumptions/assumptions").add("coordinator/coordinator");
  return items;
}

/** What changed between two states of an estate in a service and everything under it, then or now. */
export function changesUnder(before: Estate, after: Estate, service: ServiceId): ItemDifference[] {
  const under = new Set([...itemsUnder(before, service), ...itemsUnder(after, service)]);
  return difference(before, after).filter((d) => under.has(`${d.kind}/${d.id}`));
}
