import { byId, type Estate, type HostId, type Machine, type SiteId } from "../estate/model.ts";
import { outageOf } from "./closure.ts";
import { freeRoom, placeService } from "./placement.ts";

/**
 * Where every machine would land if its own site, and nothing else, were lost: services by tier as
 * in a failover, every copy taken as reachable. Machines without a place are left out.
 */
export function placeAlone(estate: Estate): [Machine, HostId][] {
  const hosts = byId(estate.hosts);
  const machines = byId(estate.machines);
  const sites = new Set<SiteId>(estate.machines.map((m) => hosts.get(m.host)!.site));
  return [...sites].flatMap((site) => {
    const outage = outageOf(estate, [site]);
    const room = freeRoom(estate, outage);
    const placed = new Map<string, HostId>();
    for (const service of [...estate.services].sort((a, b) => a.tier - b.tier)) {
      const needed = service.machines.filter((id) => outage.machines.has(id) && !placed.has(id) && !machines.get(id)!.gone).map((id) => machines.get(id)!);
      const found = placeService(estate, needed, room, () => true);
      if (found.kind === "placed") for (const [id, host] of found.hosts) placed.set(id, host);
    }
    return [...placed].map(([id, host]): [Machine, HostId] => [machines.get(id)!, host]);
  });
}
