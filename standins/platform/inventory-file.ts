import { parse } from "yaml";
import type { Attachment, Capability, Firmware } from "#core/estate/model.ts";
import type { DiscoveredHost, DiscoveredMachine, DiscoveredNetwork } from "#core/estate/discovery.ts";
import { readDuration, readSize } from "#formats/estate/quantities.ts";

/** What one stand-in platform manager lists, and by how many seconds its clock is off. */
export type ManagedPlatform = { family: string; version: string; can: Capability[]; converts: string[]; clockOff: number; hosts: DiscoveredHost[]; networks: DiscoveredNetwork[]; machines: DiscoveredMachine[] };

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
        machines: p.machines.map(machineOf).sort((a, b) => (a.id < b.id ? -1 : 1)),
      },
    ]),
  );
}

function machineOf(m: RawMachine): DiscoveredMachine {
  const attached: Attachment[] = Object.entries(m.networks ?? {}).map(([network, address]) => ({ network, address }));
  return { id: m.id, name: m.name ?? m.id, host: m.host, cores: m.cores, memory: readSize(m.memory), disks: sizes(m.disks), ...(m.firmware ? { firmware: m.firmware } : {}), attached, running: m.running ?? true, ...(m.agent ? { agent: m.agent } : {}) };
}

const sizes = (of: Record<string, string>): { id: string; size: number }[] => Object.entries(of).map(([id, size]) => ({ id, size: readSize(size) }));
