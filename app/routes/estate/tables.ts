import { type ConsistencyGroup, type Hazard, diskBytes, type Host, type Key, type Link, type Machine, type Network, type Policy, type Service, type Site, type Store, usedBytes } from "#core/estate/model.ts";
import { durationWords, linkRateWords, rateWords, sizeWords } from "#core/wording/amounts.ts";

/** A cell as it is shown, and the number it sorts by where it is one. */
export type Cell = string | [text: string, sortBy: number];
type Context = {
  sites: ReadonlyMap<string, Site>;
  hosts: ReadonlyMap<string, Host>;
  services: ReadonlyMap<string, Service>;
  servicesOf: ReadonlyMap<string, string[]>;
  machinesAt: ReadonlyMap<string, number>;
  /** Machines attached to each network. */
  attached: ReadonlyMap<string, number>;
};
/** `extra`: shown only where it is asked for. */
type Column<T> = { id: string; head: string; wide?: boolean; figures?: boolean; extra?: boolean; value: (item: T, context: Context) => Cell };

const number = (n: number): Cell => [String(n), n];
const size = (n: number): Cell => [sizeWords(n), n];
const rate = (n: number): Cell => [rateWords(n), n];
const time = (n: number): Cell => [durationWords(n), n];

const MACHINES: Column<Machine>[] = [
  { id: "name", head: "Machine", wide: true, figures: true, value: (m) => m.name },
  { id: "services", head: "Services", wide: true, value: (m, c) => (c.servicesOf.get(m.id) ?? []).join(", ") || "none" },
  { id: "site", head: "Site", value: (m, c) => c.sites.get(c.hosts.get(m.host)!.site)!.name },
  { id: "host", head: "Host", value: (m, c) => c.hosts.get(m.host)!.name },
  { id: "cores", head: "Cores", figures: true, value: (m) => number(m.cores) },
  { id: "memory", head: "Memory", figures: true, value: (m) => size(m.memory) },
  { id: "disks", head: "Disks", figures: true, value: (m) => size(diskBytes(m)) },
  { id: "used", head: "Used", figures: true, value: (m) => size(usedBytes(m)) },
  { id: "written", head: "Written per hour", figures: true, value: (m) => size(m.change.written) },
  { id: "hot", head: "Hot set", figures: true, extra: true, value: (m) => size(m.change.hot) },
  { id: "grown", head: "Grown per hour", figures: true, extra: true, value: (m) => size(m.change.grown) },
  { id: "reduction", head: "Reduction", figures: true, extra: true, value: (m) => number(m.reduction) },
  { id: "prepare", head: "Made in", figures: true, extra: true, value: (m) => time(m.prepare) },
  { id: "boot", head: "Starts in", figures: true, extra: true, value: (m) => time(m.boot) },
  { id: "firmware", head: "Firmware", extra: true, value: (m) => m.firmware?.toUpperCase() ?? "not stated" },
  { id: "networks", head: "Networks", wide: true, extra: true, value: (m) => (m.attached ?? []).map((a) => `${a.network}${a.address ? ` ${a.address}` : ""}`).join(", ") || "none" },
  { id: "source", head: "Source", extra: true, value: (m) => (m.gone ? "gone" : "there") },
];
const SERVICES: Column<Service>[] = [
  { id: "name", head: "Service", wide: true, value: (s) => s.name },
  { id: "tier", head: "Tier", figures: true, value: (s) => number(s.tier) },
  { id: "owner", head: "Owner", value: (s) => s.owner },
  { id: "rto", head: "RTO", figures: true, value: (s) => time(s.rto) },
  { id: "rpo", head: "RPO", figures: true, value: (s) => time(s.rpo) },
  { id: "mtd", head: "MTD", figures: true, value: (s) => (s.mtd === null ? ["not stated", Infinity] : time(s.mtd)) },
  { id: "machines", head: "Machines", wide: true, value: (s) => s.machines.join(", ") },
  { id: "needs", head: "Needs", wide: true, value: (s, c) => s.dependsOn.map((d) => `${c.services.get(d.service)!.name}${d.strength === "soft" ? " (soft)" : ""}`).join(", ") || "nothing" },
];
const HOSTS: Column<Host>[] = [
  { id: "name", head: "Host", wide: true, value: (h) => h.name },
  { id: "site", head: "Site", wide: true, value: (h, c) => c.sites.get(h.site)!.name },
  { id: "platform", head: "Platform", value: (h) => h.platform },
  { id: "cores", head: "Cores", figures: true, value: (h) => number(h.cores) },
  { id: "memory", head: "Memory", figures: true, value: (h) => size(h.memory) },
  { id: "pool", head: "Disk pool", figures: true, value: (h) => size(h.pool) },
  { id: "poolRate", head: "Pool takes", figures: true, value: (h) => rate(h.poolRate) },
  { id: "machines", head: "Machines", figures: true, value: (h, c) => number(c.machinesAt.get(h.id) ?? 0) },
];
const STORES: Column<Store>[] = [
  { id: "name", head: "Store", wide: true, value: (s) => s.name },
  { id: "site", head: "Site", wide: true, value: (s, c) => c.sites.get(s.site)!.name },
  { id: "kind", head: "Kind", value: (s) => s.kind },
  { id: "capacity", head: "Capacity", figures: true, value: (s) => size(s.capacity) },
  { id: "read", head: "Reads", figures: true, value: (s) => rate(s.readRate) },
  { id: "write", head: "Writes", figures: true, value: (s) => rate(s.writeRate) },
  { id: "streams", head: "Restore streams", figures: true, value: (s) => number(s.restoreStreams) },
  { id: "media", head: "Media", extra: true, value: (s) => s.media ?? "not stated" },
  { id: "retrieval", head: "Retrieval", figures: true, extra: true, value: (s) => time(s.retrieval ?? 0) },
  { id: "scattered", head: "Scattered reads", figures: true, extra: true, value: (s) => (s.randomReadRate === undefined ? ["not stated", -1] : rate(s.randomReadRate)) },
  { id: "locked", head: "Locked", extra: true, value: (s) => (s.locked ? "yes" : "no") },
];
const LINKS: Column<Link>[] = [
  { id: "name", head: "Line", wide: true, value: (l, c) => l.between.map((s) => c.sites.get(s)!.name).join(" – ") },
  { id: "rate", head: "Rate there", figures: true, value: (l) => [linkRateWords(l.rate), l.rate] },
  { id: "back", head: "Rate back", figures: true, value: (l) => [linkRateWords(l.backRate ?? l.rate), l.backRate ?? l.rate] },
  { id: "latency", head: "Latency", figures: true, value: (l) => [`${l.latencyMs} ms`, l.latencyMs] },
  { id: "limits", head: "Limits by the hour", figures: true, value: (l) => number(l.limits.length) },
];
const NETWORKS: Column<Network>[] = [
  { id: "name", head: "Network", wide: true, value: (n) => n.name },
  { id: "site", head: "Site", wide: true, value: (n, c) => c.sites.get(n.site)!.name },
  { id: "range", head: "Range", figures: true, value: (n) => n.range },
  { id: "purpose", head: "Purpose", value: (n) => n.purpose },
  { id: "machines", head: "Machines attached", figures: true, value: (n, c) => number(c.attached.get(n.id) ?? 0) },
];
const KEYS: Column<Key>[] = [
  { id: "name", head: "Key", wide: true, value: (k) => k.name },
  { id: "opens", head: "Opens", wide: true, value: (k) => k.opens.join(", ") },
  { id: "holders", head: "Held by", wide: true, value: (k, c) => k.holders.map((h) => `${h.who}${h.site ? ` (${c.sites.get(h.site)!.name})` : ""}`).join("; ") },
  { id: "tried", head: "Tried last", value: (k) => k.holders.map((h) => h.tried ?? "never").sort()[0] ?? "never" },
];
const POLICIES: Column<Policy>[] = [
  { id: "name", head: "Policy", wide: true, value: (p) => p.name },
  { id: "every", head: "Every", figures: true, value: (p) => time(p.every) },
  { id: "machines", head: "Machines", figures: true, value: (p) => number(p.machines.length) },
  { id: "legs", head: "To", wide: true, value: (p) => p.legs.map((l) => l.to).join(", ") },
];
const GROUPS: Column<ConsistencyGroup>[] = [
  { id: "name", head: "Group", wide: true, value: (g) => g.name },
  { id: "machines", head: "Machines that come back to one instant", wide: true, value: (g) => g.machines.join(", ") },
  { id: "within", head: "At most apart", figures: true, value: (g) => time(g.within) },
];
const SITES: Column<Site>[] = [
  { id: "name", head: "Site", wide: true, value: (s) => s.name },
  { id: "kind", head: "Kind", value: (s) => s.kind },
  { id: "country", head: "Country", value: (s) => s.country },
];
const HAZARDS: Column<Hazard>[] = [
  { id: "name", head: "Hazard", wide: true, value: (h) => h.name },
  { id: "kind", head: "Kind", value: (h) => h.kind },
  { id: "takes", head: "Takes", wide: true, value: (h) => h.takes.join(", ") },
];

const TABLES = { sites: SITES, hazards: HAZARDS, machines: MACHINES, services: SERVICES, hosts: HOSTS, stores: STORES, links: LINKS, networks: NETWORKS, keys: KEYS, policies: POLICIES, groups: GROUPS };
export type ShownKind = keyof typeof TABLES;
export const SHOWN_KINDS = Object.keys(TABLES) as ShownKind[];

export const allColumns = (kind: ShownKind): readonly Column<never>[] => TABLES[kind];

/** The columns that were asked for, or the usual ones; the first is always there. */
export function shownColumns(kind: ShownKind, asked: string | null): readonly Column<never>[] {
  const wanted = asked === null ? null : new Set(asked.split(","));
  return allColumns(kind).filter((c, i) => i === 0 || (wanted ? wanted.has(c.id) : !c.extra));
}

export const cellText = (cell: Cell): string => (typeof cell === "string" ? cell : cell[0]);

/** Rows whose cells contain every word of the filter, in the order asked for; `-id` sorts downwards. */
export function arranged<R extends { cells: Cell[] }>(rows: readonly R[], columns: readonly { id: string }[], filter: string, sort: string | null): R[] {
  const words = filter.toLowerCase().split(/\s+/).filter(Boolean);
  const left = words.length === 0 ? [...rows] : rows.filter((r) => words.every((w) => r.cells.some((c) => cellText(c).toLowerCase().includes(w))));
  const column = columns.findIndex((c) => c.id === sort?.replace(/^-/, ""));
  if (column < 0) return left;
  const sign = sort!.startsWith("-") ? -1 : 1;
  const compare = (a: Cell, b: Cell): number => (typeof a !== "string" && typeof b !== "string" ? a[1] - b[1] : COLLATOR.compare(cellText(a), cellText(b)));
  return left.sort((a, b) => sign * compare(a.cells[column]!, b.cells[column]!));
}
const COLLATOR = new Intl.Collator("en", { numeric: true });
