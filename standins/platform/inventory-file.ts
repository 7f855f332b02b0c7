import { parse } from "yaml";
import type { Attachment, Capability, Firmware } from "#core/estate/model.ts";
import type { DiscoveredHost, DiscoveredMachine, DiscoveredNetwork, FoundLanding } from "#core/estate/discovery.ts";
import type { Protocol } from "#core/estate/flow.ts";
import { readDuration, readSize } from "#formats/estate/quantities.ts";

export type SeenFlow = { from: string; to: string; protocol: Protocol; port: number; connections: number; secondsAgo: number };
/** What really happens inside a machine: commands that end well, and what can be reached from there. */
export type InsideMachine = { commands: string[]; reaches: string[] };

/** What one stand-in platform manager lists, by how many seconds its clock is off, and what happens inside its machines. */
export type ManagedPlatform = { landing: FoundLanding | null; flows: SeenFlow[]; inside: Map<string, InsideMachine>; family: string; version: string; can: Capability[]; converts: string[]; clockOff: number; hosts: DiscoveredHost[]; networks: DiscoveredNetwork[]; machines: DiscoveredMachine[] };

type RawMachine = { id: string; name?: string; host: string; cores: number; memory: string; disks: Record<string, string>; firmware?: Firmware; networks?: Record<string, string>; agent?: { version: string; answers: boolean }; running?: boolean };
type Raw = {
  platforms: Record<
    string,
    {
      family: string;
      version: string;
      can?: Capability[];
      converts?: string[];
      clockOff?: string;
      hosts: { id: string; name: string; cores: number; memory: string; pools: Record<string, string> }[];
      networks?: DiscoveredNetwork[];
      machines: RawMachine[];
      landing?: { groups: string[]; media?: string[]; reaches?: string[]; free: Record<string, Record<string, string>> };
      /** `from to port times ago`, such as `web-1 db-1 5432 1200 3 min`; `/udp` after the port where it is not TCP. */
      flows?: string[];
      inside?: Record<string, Partial<InsideMachine>>;
    }
  >;
};

/** Reads what really runs, by the name of each platform manager. */
export function readInventoryFile(text: string): Map<string, ManagedPlatform> {
  const raw = parse(text) as Raw;
  return new Map(
    Object.entries(raw.platforms).map(([name, p]) => [
      name,
      {
        family: p.family,
        version: p.version,
        can: p.can ?? [],
        converts: p.converts ?? [],
        clockOff: p.clockOff ? readDuration(p.clockOff) : 0,
        hosts: p.hosts.map((h) => ({ id: h.id, name: h.name, cores: h.cores, memory: readSize(h.memory), pools: sizes(h.pools) })),
        networks: p.networks ?? [],
        landing: p.landing ? { groups: p.landing.groups, accounts: [], media: p.landing.media ?? [], reaches: p.landing.reaches ?? [], free: Object.entries(p.landing.free).flatMap(([host, pools]) => Object.entries(pools).map(([pool, bytes]) => ({ host, pool, bytes: readSize(bytes) }))) } : null,
        flows: (p.flows ?? []).map(flowOf),
        inside: new Map(Object.entries(p.inside ?? {}).map(([machine, i]) => [machine, { commands: i.commands ?? [], reaches: i.reaches ?? [] }])),
        machines: p.machines.map(machineOf).sort((a, b) => (a.id < b.id ? -1 : 1)),
      },
    ]),
  );
}

function flowOf(line: string): SeenFlow {
  const [from, to, port, times, ...ago] = line.split(" ");
  const [number, protocol = "tcp"] = port!.split("/");
  return { from: from!, to: to!, protocol: protocol as Protocol, port: Number(number), connections: Number(times), secondsAgo: readDuration(ago.join(" ")) };
}

function machineOf(m: RawMachine): DiscoveredMachine {
  const attached: Attachment[] = Object.entries(m.networks ?? {}).map(([network, address]) => ({ network, address }));
  return { id: m.id, name: m.name ?? m.id, host: m.host, cores: m.cores, memory: readSize(m.memory), disks: sizes(m.disks), ...(m.firmware ? { firmware: m.firmware } : {}), attached, running: m.running ?? true, ...(m.agent ? { agent: m.agent } : {}) };
}

const sizes = (of: Record<string, string>): { id: string; size: number }[] => Object.entries(of).map(([id, size]) => ({ id, size: readSize(size) }));
