import type { Estate, SiteId } from "./model.ts";

/** One direction of a link, as a resource that flows share. */
export const linkResource = (link: string, from: SiteId): string => `link:${link}:${from}`;
export const readResource = (store: string): string => `read:${store}`;
export const writeResource = (store: string): string => `write:${store}`;
export const poolResource = (host: string): string => `pool:${host}`;
export const streamUnits = (store: string): string => `streams:${store}`;
export const startUnits = (host: string): string => `starts:${host}`;
export const CREW_UNITS = "crew";

/**
 * The links from one site to another with the fewest hops, over links that are not lost, each with
 * the site it is entered from; empty within one site, undefined where no way is left.
 */
export function routeBetween(estate: Estate, from: SiteId, to: SiteId, lostLinks: ReadonlySet<string>): { link: string; from: SiteId }[] | undefined {
  const cameBy = new Map<SiteId, { link: string; from: SiteId } | null>([[from, null]]);
  const queue = [from];
  for (let site = queue.shift(); site !== undefined; site = queue.shift()) {
    if (site === to) break;
    for (const link of estate.links) {
      if (lostLinks.has(link.id) || !link.between.includes(site)) continue;
      const other = link.between[0] === site ? link.between[1] : link.between[0];
      if (cameBy.has(other)) continue;
      cameBy.set(other, { link: link.id, from: site });
      queue.push(other);
    }
  }
  if (!cameBy.has(to)) return undefined;
  const hops: { link: string; from: SiteId }[] = [];
  for (let hop = cameBy.get(to) ?? null; hop; hop = cameBy.get(hop.from) ?? null) hops.unshift(hop);
  return hops;
}
