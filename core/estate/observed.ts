import { reachFrom, wayTo } from "../graph/reach.ts";
import type { ObservedFlow } from "./flow.ts";
import type { Estate, MachineId, ServiceId, Strength } from "./model.ts";

/** What was seen between two services: how often, on which ports, between which machines, how lately. */
export type Evidence = { connections: number; lastSeen: number; ports: { port: number; protocol: string; connections: number }[]; machines: [MachineId, MachineId][] };

export type Proposal =
  /** Seen and not declared. `through`: what already leads there by declared dependencies. */
  | { key: string; kind: "missing"; service: ServiceId; needs: ServiceId; strength: Strength; why: string; through: ServiceId[]; evidence: Evidence }
  /** Declared, both ends watched, and never seen in use. */
  | { key: string; kind: "unused"; service: ServiceId; needs: ServiceId; evidence: null }
  /** Needed by services and part of none: nothing would bring it back with them. */
  | { key: string; kind: "homeless"; machine: MachineId; usedBy: ServiceId[]; evidence: Evidence };

export type Comparison = { proposals: Proposal[]; confirmed: number; inside: number; unknown: number };

type Gathered = { connections: number; lastSeen: number; ports: Map<string, number>; machines: Map<string, [MachineId, MachineId]> };
const MOST_PAIRS = 20;
/** Fewer connections than this are a person looking or a scan, not a dependency (our own choice; the evidence is shown). */
export const FEW = 3;

/**
 * Declared dependencies held against observed connections. A connection goes from the one that needs
 * to the one that is needed; machines of one service among themselves say nothing. Linear in flows.
 *
 * @param since connections last seen before this instant count for nothing
 */
export function compareObserved(estate: Estate, flows: Iterable<ObservedFlow>, since = -Infinity): Comparison {
  const servicesOf = new Map<MachineId, ServiceId[]>();
  for (const service of estate.services) for (const machine of service.machines) servicesOf.set(machine, [...(servicesOf.get(machine) ?? []), service.id]);
  const known = new Set(estate.machines.map((m) => m.id));
  const between = new Map<ServiceId, Map<ServiceId, Gathered>>();
  const homeless = new Map<MachineId, { usedBy: Set<ServiceId>; gathered: Gathered }>();
  const watched = new Set<MachineId>();
  const none: ServiceId[] = [];
  let inside = 0;
  let unknown = 0;
  for (const flow of flows) {
    if (flow.lastSeen < since) continue;
    if (!known.has(flow.from) || !known.has(flow.to)) {
      unknown++;
      continue;
    }
    watched.add(flow.from).add(flow.to);
    const from = servicesOf.get(flow.from) ?? none;
    const to = servicesOf.get(flow.to) ?? none;
    if (from.length > 0 && to.length === 0) {
      const found = homeless.get(flow.to) ?? { usedBy: new Set<ServiceId>(), gathered: nothing() };
      homeless.set(flow.to, found);
      for (const service of from) found.usedBy.add(service);
      gather(found.gathered, flow);
    }
    if (from.some((s) => to.includes(s))) {
      inside++;
      continue;
    }
    for (const service of from)
      for (const needs of to) {
        let row = between.get(service);
        if (!row) between.set(service, (row = new Map()));
        let gathered = row.get(needs);
        if (!gathered) row.set(needs, (gathered = nothing()));
        gather(gathered, flow);
      }
  }
  return { ...proposalsOf(estate, between, homeless, watched), inside, unknown };
}

const nothing = (): Gathered => ({ connections: 0, lastSeen: -Infinity, ports: new Map(), machines: new Map() });

function gather(to: Gathered, flow: ObservedFlow): void {
  to.connections += flow.connections;
  if (flow.lastSeen > to.lastSeen) to.lastSeen = flow.lastSeen;
  const port = `${flow.port} ${flow.protocol}`;
  to.ports.set(port, (to.ports.get(port) ?? 0) + flow.connections);
  if (to.machines.size < MOST_PAIRS) to.machines.set(`${flow.from} ${flow.to}`, [flow.from, flow.to]);
}

const evidenceOf = (g: Gathered): Evidence => ({
  connections: g.connections,
  lastSeen: g.lastSeen,
  ports: [...g.ports].map(([key, connections]) => ({ port: Number(key.split(" ")[0]), protocol: key.split(" ")[1]!, connections })).sort((a, b) => b.connections - a.connections || a.port - b.port),
  machines: [...g.machines.values()],
});

function proposalsOf(estate: Estate, between: ReadonlyMap<ServiceId, ReadonlyMap<ServiceId, Gathered>>, homeless: ReadonlyMap<MachineId, { usedBy: Set<ServiceId>; gathered: Gathered }>, watched: ReadonlySet<MachineId>): Pick<Comparison, "proposals" | "confirmed"> {
  const proposals: Proposal[] = [];
  let confirmed = 0;
  const hard = new Map(estate.services.map((s) => [s.id, s.dependsOn.filter((d) => d.strength === "hard").map((d) => d.service)]));
  const isWatched = new Map(estate.services.map((s) => [s.id, s.machines.some((m) => watched.has(m))]));
  for (const service of estate.services) {
    const seen = between.get(service.id) ?? new Map<ServiceId, Gathered>();
    const declared = new Set(service.dependsOn.map((d) => d.service));
    for (const [needs, gathered] of seen) {
      if (declared.has(needs)) {
        confirmed++;
        continue;
      }
      if (gathered.connections < FEW) continue;
      const ways = reachFrom(service.id, (id) => hard.get(id)!);
      const through = ways.has(needs) ? wayTo(ways, needs).slice(1, -1) : [];
      proposals.push({ key: `missing/${service.id}/${needs}`, kind: "missing", service: service.id, needs, ...suggestedStrength(hard, service.id, needs), through, evidence: evidenceOf(gathered) });
    }
    for (const needs of declared) if (!seen.has(needs) && isWatched.get(service.id) && isWatched.get(needs)) proposals.push({ key: `unused/${service.id}/${needs}`, kind: "unused", service: service.id, needs, evidence: null });
  }
  for (const [machine, { usedBy, gathered }] of homeless) if (gathered.connections >= FEW) proposals.push({ key: `homeless/${machine}`, kind: "homeless", machine, usedBy: [...usedBy], evidence: evidenceOf(gathered) });
  const weight = (p: Proposal): number => (p.kind === "missing" ? (p.through.length > 0 ? 1 : 0) : p.kind === "homeless" ? 2 : 3);
  return { proposals: proposals.sort((a, b) => weight(a) - weight(b) || (b.evidence?.connections ?? 0) - (a.evidence?.connections ?? 0) || (a.key < b.key ? -1 : 1)), confirmed };
}

/** Hard, unless that closed a loop that nothing breaks. */
function suggestedStrength(hard: ReadonlyMap<ServiceId, readonly ServiceId[]>, service: ServiceId, needs: ServiceId): { strength: Strength; why: string } {
  if (!reachFrom(needs, (id) => hard.get(id)!).has(service)) return { strength: "hard", why: "what is connected to is needed until somebody says otherwise" };
  return { strength: "soft", why: "a hard one would close a loop that nothing breaks" };
}

