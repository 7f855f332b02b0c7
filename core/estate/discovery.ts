import equal from "fast-deep-equal";
import { ASSUMED_HOST, ASSUMED_MACHINE } from "./assumed.ts";
import { type Attachment, byId, type Capability, type Estate, type Firmware, type Host, type Machine, type Network, type SiteId } from "./model.ts";

/** What a platform says runs on it. Sizes bytes; `used` only where the platform knows it. */
export type DiscoveredMachine = {
  id: string;
  name: string;
  host: string;
  cores: number;
  memory: number;
  disks: { id: string; size: number; used?: number }[];
  firmware?: Firmware;
  attached: Attachment[];
  running: boolean;
  /** The agent inside it, where one is; where none is needed it may be left out. */
  agent?: { version: string; answers: boolean };
  /** Where its images lie as files that the server can read, one to one. */
  folder?: string;
};
export type DiscoveredHost = { id: string; name: string; cores: number; memory: number; pools: { id: string; size: number }[] };
export type DiscoveredNetwork = { id: string; name: string; range: string };
/** What a platform has ever listed, by id. */
export type KnownBefore = { hosts: readonly string[]; machines: readonly string[] };
export type Inventory = {
  family: string;
  version: string;
  can: Capability[];
  converts: string[];
  hosts: DiscoveredHost[];
  networks: DiscoveredNetwork[];
  machines: DiscoveredMachine[];
  /** How ready it is to take machines in, where it tells. */
  landing?: FoundLanding;
};

/** What a platform tells of how ready it is to take machines in. Sizes bytes. */
export type FoundLanding = {
  groups: string[];
  accounts: { name: string; rights: string[] }[];
  media: string[];
  /** Addresses that its hosts could reach just now. */
  reaches: string[];
  /** What is free of every disk pool, by host and pool. */
  free: { host: string; pool: string; bytes: number }[];
};

export type FindingKind = "hosts" | "networks" | "machines";
export type Finding = {
  /** `machines/ticket-1`: names it between discoveries. */
  key: string;
  kind: FindingKind;
  id: string;
  change: "appeared" | "changed" | "gone" | "returned";
  fields: { path: string; before: unknown; after: unknown }[];
};

/**
 * How an inventory differs from the estate. It speaks for the hosts it lists and those it was known
 * to have had before and for machines on them; one without hosts, for the machines that it ever listed; what the estate says beyond a platform's
 * knowledge (change rates, starting times) is never a difference.
 */
export function compareDiscovery(estate: Estate, inventory: Inventory, site: SiteId, known: KnownBefore): Finding[] {
  const mine = new Set([...inventory.hosts.map((h) => h.id), ...known.hosts]);
  return [
    ...compareKind("networks", inventory.networks.map(({ id, name, range }) => ({ id, name, range })), estate.networks.filter((n) => n.site === site && inventory.networks.some((i) => i.id === n.id)), (n) => ({ name: n.name, range: n.range })),
    ...compareKind("hosts", inventory.hosts.map(hostFacts), estate.hosts.filter((h) => mine.has(h.id)), (h) => ({ name: h.name, cores: h.cores, memory: h.memory, pool: h.pool })),
    ...machineFindings(estate, inventory, mine, new Set(known.machines)),
  ];
}

function machineFindings(estate: Estate, inventory: Inventory, mine: ReadonlySet<string>, known: ReadonlySet<string>): Finding[] {
  const here = new Map(inventory.machines.map((m) => [m.id, m]));
  // Where hosts are listed, a machine that runs on a host of none of them has moved on, and another platform speaks for it.
  const once = inventory.hosts.length === 0 ? known : new Set<string>();
  const described = estate.machines.filter((m) => mine.has(m.host) || here.has(m.id) || once.has(m.id));
  const present = described.filter((m) => !m.gone);
  const found = compareKind("machines", inventory.machines.map(machineFacts), present, (m) => machineFacts(m as DiscoveredMachine & Machine));
  const away = new Set(described.filter((m) => m.gone).map((m) => m.id));
  return found.map((f) => (f.change === "appeared" && away.has(f.id) ? { ...f, change: "returned" as const } : f));
}

const hostFacts = (h: DiscoveredHost) => ({ id: h.id, name: h.name, cores: h.cores, memory: h.memory, pool: h.pools.reduce((n, p) => n + p.size, 0) });
const machineFacts = (m: Pick<DiscoveredMachine, "id" | "name" | "host" | "cores" | "memory" | "disks" | "firmware" | "attached"> | Machine) => ({
  id: m.id,
  host: m.host,
  cores: m.cores,
  memory: m.memory,
  disks: Object.fromEntries(m.disks.map((d) => [d.id, d.size])),
  ...(m.firmware ? { firmware: m.firmware } : {}),
  ...(m.attached?.length ? { attached: Object.fromEntries(m.attached.map((a) => [a.network, a.address ?? "no address"])) } : {}),
});

type Facts = { id: string } & Record<string, unknown>;

function compareKind<T extends { id: string }>(kind: FindingKind, now: readonly Facts[], before: readonly T[], factsOf: (item: T) => Record<string, unknown>): Finding[] {
  const had = byId(before);
  const seen = new Set<string>();
  const findings: Finding[] = [];
  for (const item of now) {
    seen.add(item.id);
    const old = had.get(item.id);
    const finding = { key: `${kind}/${item.id}`, kind, id: item.id };
    if (!old) findings.push({ ...finding, change: "appeared", fields: [] });
    else {
      const fields = fieldsOf(factsOf(old), item);
      if (fields.length > 0) findings.push({ ...finding, change: "changed", fields });
    }
  }
  for (const item of before) if (!seen.has(item.id)) findings.push({ key: `${kind}/${item.id}`, kind, id: item.id, change: "gone", fields: [] });
  return findings;
}

function fieldsOf(before: Record<string, unknown>, now: Record<string, unknown>): Finding["fields"] {
  return [...new Set([...Object.keys(before), ...Object.keys(now)])].flatMap((key) => {
    const [a, b] = [before[key] ?? null, now[key] ?? null];
    if (key === "id" || equal(a, b)) return [];
    if (isRecord(a) && isRecord(b)) return fieldsOf(a, b).map((f) => ({ ...f, path: `${key}.${f.path}` }));
    return [{ path: key, before: a, after: b }];
  });
}
const isRecord = (value: unknown): value is Record<string, unknown> => value !== null && typeof value === "object" && !Array.isArray(value);

/** The estate with some findings taken in as of an instant; what a platform cannot know is assumed. What it gives may still need checking. */
export function withFindings(estate: Estate, inventory: Inventory, findings: readonly Finding[], site: SiteId, at: number): Estate {
  const next: Estate = { ...estate, networks: [...estate.networks], hosts: [...estate.hosts], machines: [...estate.machines] };
  const chosen = new Map(findings.map((f) => [f.key, f]));
  for (const n of inventory.networks) if (chosen.has(`networks/${n.id}`)) put(next.networks, { ...(byId(estate.networks).get(n.id) ?? { purpose: "production" as const }), id: n.id, name: n.name, range: n.range, site } satisfies Network);
  for (const h of inventory.hosts) if (chosen.has(`hosts/${h.id}`)) put(next.hosts, { ...(byId(estate.hosts).get(h.id) ?? { ...ASSUMED_HOST, site, platform: inventory.family }), ...hostFacts(h) } satisfies Host);
  for (const m of inventory.machines) if (chosen.has(`machines/${m.id}`)) put(next.machines, machineFrom(m, byId(estate.machines).get(m.id)));
  for (const f of findings) {
    if (f.change !== "gone") continue;
    if (f.kind === "machines") next.machines = next.machines.map((m) => (m.id === f.id ? { ...m, gone: new Date(at).toISOString() } : m));
    else if (f.kind === "hosts") next.hosts = next.hosts.filter((h) => h.id !== f.id);
    else next.networks = next.networks.filter((n) => n.id !== f.id);
  }
  return next;
}

function machineFrom(found: DiscoveredMachine, old: Machine | undefined): Machine {
  const kept: Omit<Machine, "host" | "cores" | "memory" | "disks"> = { ...(old ?? { ...ASSUMED_MACHINE, id: found.id, name: found.name }) };
  // Back again, it is not gone; firmware and networks are the platform's to say.
  for (const key of ["gone", "firmware", "attached"] as const) delete kept[key];
  const usedBefore = new Map(old?.disks.map((d) => [d.id, d.used]));
  return {
    ...kept,
    host: found.host,
    cores: found.cores,
    memory: found.memory,
    // Where neither the platform nor the estate knows better, a disk is taken as full.
    disks: found.disks.map((d) => ({ id: d.id, size: d.size, used: Math.min(d.size, d.used ?? usedBefore.get(d.id) ?? d.size) })),
    ...(found.firmware ? { firmware: found.firmware } : {}),
    ...(found.attached.length > 0 ? { attached: found.attached } : {}),
  };
}

function put<T extends { id: string }>(list: T[], item: T): void {
  const i = list.findIndex((x) => x.id === item.id);
  if (i < 0) list.push(item);
  else list[i] = item;
}

/** Machines that need an agent inside and have none that answers, by what that closes. */
export function agentsWanting(inventory: Inventory, isPhysical: boolean): { machine: string; words: string }[] {
  return inventory.machines.flatMap((m) => {
    if (m.agent && !m.agent.answers) return [{ machine: m.id, words: `its agent (${m.agent.version}) does not answer` }];
    if (isPhysical && !m.agent) return [{ machine: m.id, words: "it has no agent: a physical server is captured by one, and without it only when stopped" }];
    return [];
  });
}
