import { byId, type Estate, type HostId, type MachineId, type ServiceId, siteOfMachine, type StoreId } from "../estate/model.ts";

/** What an outage takes: the things named, and all that stands on them. */
export type Outage = {
  lost: string[];
  sites: Set<string>;
  hosts: Set<HostId>;
  stores: Set<StoreId>;
  links: Set<string>;
  machines: Set<MachineId>;
  coordinator: boolean;
};

export type ServiceState = { kind: "up" } | { kind: "down"; because: string } | { kind: "impaired"; because: string };

export class UnknownLossError extends Error {
  override readonly name = "UnknownLossError";
  constructor(readonly id: string) {
    super(`The estate has no site, hazard, host, store or link ${id}`);
  }
}

/** A hazard takes all it is named for. Throws `UnknownLossError` for an id that is no site, hazard, host, store, or link. */
export function outageOf(estate: Estate, lost: readonly string[]): Outage {
  const sites = new Set<string>();
  const hosts = new Set<string>();
  const stores = new Set<string>();
  const links = new Set<string>();
  const siteIds = byId(estate.sites);
  const hostIds = byId(estate.hosts);
  const storeIds = byId(estate.stores);
  const linkIds = byId(estate.links);
  const hazards = byId(estate.hazards);
  for (const id of lost.flatMap((named) => hazards.get(named)?.takes ?? [named])) {
    if (siteIds.has(id)) sites.add(id);
    else if (hostIds.has(id)) hosts.add(id);
    else if (storeIds.has(id)) stores.add(id);
    else if (linkIds.has(id)) links.add(id);
    else throw new UnknownLossError(id);
  }
  for (const host of estate.hosts) if (sites.has(host.site)) hosts.add(host.id);
  for (const store of estate.stores) if (sites.has(store.site)) stores.add(store.id);
  for (const link of estate.links) if (link.between.some((site) => sites.has(site))) links.add(link.id);
  const machines = new Set(estate.machines.filter((m) => hosts.has(m.host)).map((m) => m.id));
  return { lost: [...lost], sites, hosts, stores, links, machines, coordinator: sites.has(estate.coordinator.site) };
}

/**
 * A service is down if a machine it needs is lost or a hard dependency is down, impaired if a soft
 * one is down or any dependency is impaired. Loops need no special care: states only ever worsen.
 */
export function serviceStates(estate: Estate, outage: Outage): Map<ServiceId, ServiceState> {
  const states = new Map<ServiceId, ServiceState>();
  const machines = byId(estate.machines);
  const names = byId(estate.services);
  const siteName = byId(estate.sites);
  for (const service of estate.services) {
    const lost = service.machines.find((id) => outage.machines.has(id));
    const machine = lost && machines.get(lost);
    states.set(service.id, machine ? { kind: "down", because: `${machine.name} stands at ${siteName.get(siteOfMachine(estate, machine))!.name}` } : { kind: "up" });
  }
  for (let changed = true; changed; ) {
    changed = false;
    for (const service of estate.services) {
      const now = states.get(service.id)!;
      if (now.kind === "down") continue;
      for (const { service: id, strength } of service.dependsOn) {
        const other = states.get(id)!;
        if (other.kind === "up") continue;
        const worse: ServiceState["kind"] = other.kind === "down" && strength === "hard" ? "down" : "impaired";
        if (worse === now.kind || (worse === "impaired" && states.get(service.id)!.kind !== "up")) continue;
        states.set(service.id, { kind: worse, because: `it needs ${names.get(id)!.name}` });
        changed = true;
        if (worse === "down") break;
      }
    }
  }
  return states;
}
