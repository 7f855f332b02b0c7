import { distanceMetres } from "#core/estate/distance.ts";
import { linkRateAt } from "#core/estate/link-rate.ts";
import { byId, diskBytes, type Estate, siteOfMachine, storeCapacity, usedBytes } from "#core/estate/model.ts";
import { outageOf } from "#core/outage/closure.ts";
import { lossName } from "#core/outage/question.ts";
import { freeRoom } from "#core/outage/placement.ts";
import { goesWith } from "#core/outage/goes-with.ts";
import type { Application } from "#server/application.ts";
import { knownGaps } from "#server/estate/known-gaps.ts";
import { estateVersion, lastChange, OF_THE_PAST } from "#server/estate/last-change.ts";
import { readProposals } from "./proposals/queries.ts";
import { landingGaps } from "#core/estate/landing.ts";
import { readLandings } from "#server/platforms/landing-view.ts";
import { NEW_ITEM } from "./items/new-item.ts";
import { writtenView } from "./items/queries.ts";
import { outlook } from "#server/outlook.ts";
import { readFlows } from "#server/db/queries/flows.ts";
import { storedBytes } from "#server/db/queries/copies.ts";
import { limitWords, linkWords } from "./link-words.ts";
import type { Part } from "./estate-nav.tsx";
import { readStore } from "./stores/queries.ts";
import { readPlatforms } from "#server/platforms/platform-view.ts";
import { shownColumns, type Cell, SHOWN_KINDS, type ShownKind } from "./tables.ts";

const SHOWN_FLOWS = 500;
const COUNTED_MACHINES = 3_000;

export type EstateView = NonNullable<Awaited<ReturnType<typeof readEstateView>>>;

/** What the place shows: the map, one table, and what would go with the chosen thing. */
export async function readEstateView(app: Application, organisationId: string, asked: { at: string | null; lost: string[] }, show: Part, chosen: string | null, columns: string | null = null) {
  const view = await outlook(app, organisationId, asked);
  if (!view) return null;
  const { estate, lost, at } = view;
  const facts = view.facts.filter((f) => f.arrivedAt <= at);
  const outage = outageOf(estate, lost);
  const site = estate.sites.find((s) => s.id === chosen) ?? null;
  const hazard = site ? null : (estate.hazards.find((h) => h.id === chosen) ?? null);
  const stored = await storedBytes(app.connection.db, organisationId);
  const base = await estateVersion(app.connection.db, organisationId);
  // Among very many machines it is worked out only where it is looked at.
  const gaps = show === "gaps" || estate.machines.length <= COUNTED_MACHINES ? [...knownGaps(app.connection.db, estate, base, at, stored, view.changedSince), ...landingGaps(await readLandings(app.connection.db, estate))] : [];
  const tabled = SHOWN_KINDS.find((k) => k === show);
  return {
    gapCount: gaps.length,
    base: view.changedSince > 0 ? OF_THE_PAST : base,
    store: show === "stores" && chosen !== null ? await readStore(app, organisationId, estate, chosen, stored) : null,
    written: tabled && chosen !== null && (show !== "stores" || chosen === NEW_ITEM) ? writtenView(estate, tabled, ONE[tabled], chosen) : null,
    gaps: show === "gaps" ? gaps : null,
    platforms: show === "platforms" ? await readPlatforms(app, organisationId, estate) : null,
    proposals: show === "connections" ? await readProposals(app, estate, view.now) : null,
    connections: show === "connections" ? await readFlows(app.connection.db, organisationId, SHOWN_FLOWS) : null,
    sites: estate.sites.map((s) => ({ id: s.id, name: s.name })),
    counts: { sites: estate.sites.length, machines: estate.machines.length, services: estate.services.length, hosts: estate.hosts.length, stores: estate.stores.length, links: estate.links.length },
    last: await lastChange(app.connection.db, organisationId),
    hosts: estate.hosts.map((h) => ({ id: h.id, name: h.name })),
    map: show === "map" ? mapOf(estate, outage.sites, outage.links, at, stored) : null,
    table: tabled ? tableOf(estate, tabled, columns) : null,
    chosen: site
      ? { is: "site" as const, ...site, distances: distancesFrom(estate, site.id), goes: goesWith(estate, facts, site.id), hazards: estate.hazards.filter((h) => h.takes.includes(site.id)).map((h) => h.name), room: roomAt(estate, outage, site.id), lost: outage.sites.has(site.id), stands: standsAt(estate, site.id), lines: linesOf(estate, site.id, at), networks: estate.networks.filter((n) => n.site === site.id) }
      : hazard
        ? { is: "hazard" as const, ...hazard, goes: goesWith(estate, facts, hazard.id), members: hazard.takes.map((id) => lossName(estate, id)) }
        : null,
  };
}

const ONE: Record<ShownKind, string> = { machines: "machine", services: "service", hosts: "host", stores: "store", links: "line", networks: "network", keys: "key", policies: "policy", groups: "group", sites: "site", hazards: "hazard" };

/** Kilometres to every other site whose place is known, nearest first. */
function distancesFrom(estate: Estate, id: string): { name: string; km: number }[] {
  const here = estate.sites.find((s) => s.id === id)?.place;
  if (!here) return [];
  return estate.sites
    .flatMap((s) => (s.id !== id && s.place ? [{ name: s.name, km: distanceMetres(here, s.place) / 1_000 }] : []))
    .sort((a, b) => a.km - b.km);
}

function mapOf(estate: Estate, lostSites: ReadonlySet<string>, lostLinks: ReadonlySet<string>, at: number, stored: ReadonlyMap<string, number>) {
  const home = estate.sites.find((s) => s.id === estate.coordinator.site)!;
  return {
    sites: estate.sites.map((s) => {
      const hosts = estate.hosts.filter((h) => h.site === s.id);
      const machines = estate.machines.filter((m) => siteOfMachine(estate, m) === s.id);
      const memory = hosts.reduce((n, h) => n + h.memory, 0);
      const stores = estate.stores.filter((x) => x.site === s.id);
      const capacity = stores.reduce((n, x) => n + storeCapacity(x), 0);
      return {
        id: s.id,
        name: s.name,
        kind: s.kind,
        place: s.place ?? null,
        km: home.place && s.place && s.id !== home.id ? distanceMetres(home.place, s.place) / 1_000 : null,
        machines: machines.length,
        memoryUsed: memory > 0 ? machines.reduce((n, m) => n + m.memory, 0) / memory : null,
        storeUsed: capacity > 0 ? stores.reduce((n, x) => n + (stored.get(x.id) ?? 0), 0) / capacity : null,
        lost: lostSites.has(s.id),
      };
    }),
    links: estate.links.map((l) => ({ id: l.id, between: l.between, rate: linkRateAt(l, at, estate.organisation.timeZone), name: lossName(estate, l.id), words: linkWords(l), lost: lostLinks.has(l.id) })),
    hazards: estate.hazards.map((h) => ({ id: h.id, name: h.name, sites: h.takes.filter((id) => estate.sites.some((s) => s.id === id)) })),
    home: home.id,
    homeName: home.name,
  };
}

/** What surviving hosts of a site have left, and the largest machine that would find no place there. */
function roomAt(estate: Estate, outage: ReturnType<typeof outageOf>, site: string) {
  const hosts = estate.hosts.filter((h) => h.site === site && !outage.hosts.has(h.id));
  if (hosts.length === 0) return null;
  const room = freeRoom(estate, outage);
  const sum = (of: "cores" | "memory" | "pool"): { left: number; of: number } => ({ left: hosts.reduce((n, h) => n + room.get(h.id)![of], 0), of: hosts.reduce((n, h) => n + h[of], 0) });
  const tooLarge = estate.machines.filter((m) => siteOfMachine(estate, m) !== site && hosts.every((h) => m.cores > h.cores || m.memory > h.memory || diskBytes(m) > h.pool));
  return { cores: sum("cores"), memory: sum("memory"), pool: sum("pool"), tooLarge: tooLarge.map((m) => m.name) };
}

/** The lines that end at a site, what they carry each way now, and when they carry less. */
function linesOf(estate: Estate, site: string, at: number) {
  const zone = estate.organisation.timeZone;
  const sites = byId(estate.sites);
  return estate.links
    .filter((l) => l.between.includes(site))
    .map((l) => {
      const other = l.between[0] === site ? l.between[1] : l.between[0];
      return { id: l.id, to: sites.get(other)!.name, out: linkRateAt(l, at, zone, site), back: linkRateAt(l, at, zone, other), latencyMs: l.latencyMs, limits: limitWords(l) };
    });
}

function standsAt(estate: Estate, site: string) {
  const machines = estate.machines.filter((m) => siteOfMachine(estate, m) === site);
  return { hosts: estate.hosts.filter((h) => h.site === site).map((h) => h.name), stores: estate.stores.filter((s) => s.site === site).map((s) => s.name), machines: machines.map((m) => m.name), bytes: machines.reduce((n, m) => n + usedBytes(m), 0) };
}

function tableOf(estate: Estate, show: ShownKind, asked: string | null): { kind: ShownKind; rows: { id: string; cells: Cell[] }[] } {
  const sites = byId(estate.sites);
  const hosts = byId(estate.hosts);
  const services = byId(estate.services);
  const servicesOf = new Map<string, string[]>();
  for (const s of estate.services) for (const m of s.machines) servicesOf.set(m, [...(servicesOf.get(m) ?? []), s.name]);
  const context = { sites, hosts, services, servicesOf, machinesAt: countBy(estate.machines, (m) => m.host), attached: countBy(estate.machines.flatMap((m) => m.attached ?? []), (a) => a.network) };
  const columns = shownColumns(show, asked);
  return { kind: show, rows: (estate[show] as { id: string }[]).map((item) => ({ id: item.id, cells: columns.map((c) => c.value(item as never, context)) })) };
}

function countBy<T>(items: readonly T[], key: (item: T) => string): Map<string, number> {
  const counts = new Map<string, number>();
  for (const item of items) counts.set(key(item), (counts.get(key(item)) ?? 0) + 1);
  return counts;
}
