import { dependentBits } from "../graph/dependents.ts";
import { reachFrom, wayTo } from "../graph/reach.ts";
import { type ObservedFlow, PROTOCOLS } from "./flow.ts";
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

type Gathered = { connections: number; lastSeen: number; ports: Map<number, number>; machines: Map<number, [MachineId, MachineId]> };
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
  const observing = new Observing(estate, since);
  observing.take(flows);
  return observing.comparison();
}

/** The comparison bit by bit, for flows that are not held in memory all at once. */
export class Observing {
  // A million flows are told apart by numbers: machines and services by their places in the estate.
  private readonly place: ReadonlyMap<MachineId, number>;
  private readonly servicesOf: number[][];
  private readonly isWatched: Uint8Array;
  private readonly between = new Map<number, Gathered>();
  private readonly homeless = new Map<number, { usedBy: Set<number>; gathered: Gathered }>();
  private inside = 0;
  private unknown = 0;

  constructor(
    private readonly estate: Estate,
    private readonly since = -Infinity,
  ) {
    this.place = new Map(estate.machines.map((m, i) => [m.id, i]));
    this.servicesOf = estate.machines.map(() => []);
    for (const [i, service] of estate.services.entries()) for (const machine of service.machines) this.servicesOf[this.place.get(machine)!]!.push(i);
    this.isWatched = new Uint8Array(estate.machines.length);
  }

  take(flows: Iterable<ObservedFlow>): void {
    for (const flow of flows) if (flow.lastSeen >= this.since) this.takeOne(flow);
  }

  private takeOne(flow: ObservedFlow): void {
    const { machines, services } = this.estate;
    const a = this.place.get(flow.from);
    const b = this.place.get(flow.to);
    if (a === undefined || b === undefined) {
      this.unknown++;
      return;
    }
    this.isWatched[a] = this.isWatched[b] = 1;
    const from = this.servicesOf[a]!;
    const to = this.servicesOf[b]!;
    const pair = a * machines.length + b;
    if (from.length > 0 && to.length === 0) {
      let found = this.homeless.get(b);
      if (!found) this.homeless.set(b, (found = { usedBy: new Set(), gathered: nothing() }));
      for (const service of from) found.usedBy.add(service);
      gather(found.gathered, flow, pair);
    }
    if (from.some((s) => to.includes(s))) {
      this.inside++;
      return;
    }
    for (const service of from)
      for (const needs of to) {
        const key = service * services.length + needs;
        let gathered = this.between.get(key);
        if (!gathered) this.between.set(key, (gathered = nothing()));
        gather(gathered, flow, pair);
      }
  }

  comparison(): Comparison {
    const { machines, services } = this.estate;
    const id = (i: number): ServiceId => services[i]!.id;
    const rows = new Map<ServiceId, Map<ServiceId, Gathered>>(services.map((s) => [s.id, new Map()]));
    for (const [key, gathered] of this.between) rows.get(id(Math.floor(key / services.length)))!.set(id(key % services.length), gathered);
    const watched = new Set(machines.filter((_, i) => this.isWatched[i]).map((m) => m.id));
    const strays = new Map([...this.homeless].map(([i, { usedBy, gathered }]) => [machines[i]!.id, { usedBy: [...usedBy].map(id), gathered }]));
    return { ...proposalsOf(this.estate, rows, strays, watched), inside: this.inside, unknown: this.unknown };
  }
}

const nothing = (): Gathered => ({ connections: 0, lastSeen: -Infinity, ports: new Map(), machines: new Map() });

const portKey = (flow: ObservedFlow): number => flow.port * PROTOCOLS.length + PROTOCOLS.indexOf(flow.protocol);

function gather(to: Gathered, flow: ObservedFlow, pair: number): void {
  to.connections += flow.connections;
  if (flow.lastSeen > to.lastSeen) to.lastSeen = flow.lastSeen;
  const port = portKey(flow);
  to.ports.set(port, (to.ports.get(port) ?? 0) + flow.connections);
  if (to.machines.size < MOST_PAIRS && !to.machines.has(pair)) to.machines.set(pair, [flow.from, flow.to]);
}

const evidenceOf = (g: Gathered): Evidence => ({
  connections: g.connections,
  lastSeen: g.lastSeen,
  ports: [...g.ports].map(([key, connections]) => ({ port: Math.floor(key / PROTOCOLS.length), protocol: PROTOCOLS[key % PROTOCOLS.length]!, connections })).sort((a, b) => b.connections - a.connections || a.port - b.port),
  machines: [...g.machines.values()],
});

function proposalsOf(estate: Estate, between: ReadonlyMap<ServiceId, ReadonlyMap<ServiceId, Gathered>>, homeless: ReadonlyMap<MachineId, { usedBy: ServiceId[]; gathered: Gathered }>, watched: ReadonlySet<MachineId>): Pick<Comparison, "proposals" | "confirmed"> {
  const proposals: Proposal[] = [];
  let confirmed = 0;
  const hard = new Map(estate.services.map((s) => [s.id, s.dependsOn.filter((d) => d.strength === "hard").map((d) => d.service)]));
  const dependents = dependentBits(estate);
  const place = new Map(estate.services.map((s, i) => [s.id, i]));
  /** Whether one needs the other by hard dependencies already, so that a hard one back closed a loop. */
  const closesLoop = (service: ServiceId, needs: ServiceId): boolean => ((dependents.get(service)![place.get(needs)! >>> 5]! >>> (place.get(needs)! & 31)) & 1) === 1;
  const isWatched = new Map(estate.services.map((s) => [s.id, s.machines.some((m) => watched.has(m))]));
  for (const service of estate.services) {
    const seen = between.get(service.id) ?? new Map<ServiceId, Gathered>();
    const declared = new Set(service.dependsOn.map((d) => d.service));
    const ways = seen.size === 0 ? null : reachFrom(service.id, (id) => hard.get(id)!);
    for (const [needs, gathered] of seen) {
      if (declared.has(needs)) {
        confirmed++;
        continue;
      }
      if (gathered.connections < FEW) continue;
      const through = ways?.has(needs) ? wayTo(ways, needs).slice(1, -1) : [];
      proposals.push({ key: `missing/${service.id}/${needs}`, kind: "missing", service: service.id, needs, ...suggestedStrength(closesLoop(service.id, needs)), through, evidence: evidenceOf(gathered) });
    }
    for (const needs of declared) if (!seen.has(needs) && isWatched.get(service.id) && isWatched.get(needs)) proposals.push({ key: `unused/${service.id}/${needs}`, kind: "unused", service: service.id, needs, evidence: null });
  }
  for (const [machine, { usedBy, gathered }] of homeless) if (gathered.connections >= FEW) proposals.push({ key: `homeless/${machine}`, kind: "homeless", machine, usedBy, evidence: evidenceOf(gathered) });
  const weight = (p: Proposal): number => (p.kind === "missing" ? (p.through.length > 0 ? 1 : 0) : p.kind === "homeless" ? 2 : 3);
  return { proposals: proposals.sort((a, b) => weight(a) - weight(b) || (b.evidence?.connections ?? 0) - (a.evidence?.connections ?? 0) || (a.key < b.key ? -1 : 1)), confirmed };
}

/** Hard, unless that closed a loop that nothing breaks. */
const suggestedStrength = (closesLoop: boolean): { strength: Strength; why: string } =>
  closesLoop ? { strength: "soft", why: "a hard one would close a loop that nothing breaks" } : { strength: "hard", why: "what is connected to is needed until somebody says otherwise" };
