import type { TimelineResources } from "../timeline/simulate.ts";
import { linkRateSteps } from "./link-rate.ts";
import type { Estate } from "./model.ts";
import { CREW_UNITS, linkResource, poolResource, readResource, startUnits, streamUnits, writeResource } from "./route.ts";

/** Longest stretch over which link windows are followed; later the last rate holds. */
const HORIZON_SECONDS = 4 * 86_400;

/** Everything that steps hold or share, with the rates as the estate states them from an instant on. */
export function estateResources(estate: Estate, at: number): TimelineResources {
  const rates = new Map<string, readonly { fromSeconds: number; rate: number }[]>();
  const units = new Map<string, number>([[CREW_UNITS, estate.assumptions.crew]]);
  const steady = (id: string, rate: number): void => void rates.set(id, [{ fromSeconds: 0, rate }]);
  for (const link of estate.links) {
    for (const site of link.between) rates.set(linkResource(link.id, site), linkRateSteps(link, at, estate.organisation.timeZone, HORIZON_SECONDS, site));
  }
  for (const store of estate.stores) {
    steady(readResource(store.id), store.readRate);
    steady(writeResource(store.id), store.writeRate);
    units.set(streamUnits(store.id), store.restoreStreams);
  }
  for (const host of estate.hosts) {
    steady(poolResource(host.id), host.poolRate);
    units.set(startUnits(host.id), host.starts);
  }
  return { units, rates };
}

/** A resource in words: `a restore stream at Gannet Yard disks`. */
export function resourceWords(estate: Estate, resource: string): string {
  const [kind, id = ""] = resource.split(":");
  const store = estate.stores.find((s) => s.id === id)?.name ?? id;
  const host = estate.hosts.find((h) => h.id === id)?.name ?? id;
  switch (kind) {
    case "streams":
      return `a restore stream at ${store}`;
    case "starts":
      return `a free start on ${host}`;
    case "crew":
      return "somebody of the crew";
    case "read":
      return `reading from ${store}`;
    case "write":
      return `writing to ${store}`;
    case "pool":
      return `the disk pool of ${host}`;
    case "link": {
      const link = estate.links.find((l) => l.id === id);
      const names = link?.between.map((site) => estate.sites.find((s) => s.id === site)?.name ?? site) ?? [id];
      return `the line ${names.join(" – ")}`;
    }
    default:
      return resource;
  }
}
