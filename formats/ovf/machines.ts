import { ASSUMED_MACHINE } from "#core/estate/assumed.ts";
import type { DiscoveredMachine } from "#core/estate/discovery.ts";
import type { Estate, Firmware, Machine } from "#core/estate/model.ts";
import { countWords, listWords } from "#core/wording/amounts.ts";
import { estateFromRaw } from "../estate/read-estate.ts";
import { toRaw } from "../estate/write-estate.ts";
import { ASSUMED_RAW } from "../table/columns.ts";
import { OvfError, type OvfSystem } from "./read-ovf.ts";

/** An estate with the systems of a descriptor as machines on one host, and what had to be assumed or written otherwise. */
export function withOvfMachines(over: Estate, systems: readonly OvfSystem[], host: string): { estate: Estate; notes: string[] } {
  if (!over.hosts.some((h) => h.id === host)) throw new OvfError(1, `there is no host ${host} on which they could run; known are ${listWords(over.hosts.map((h) => h.id))}`);
  const renamed: string[] = [];
  const unstated: string[] = [];
  const taken = new Map<string, string>();
  const machines = new Map(over.machines.map((m) => [m.id, m]));
  for (const system of systems) {
    const id = idOf(system.id);
    if (id !== system.id) renamed.push(`${system.id || "one without an id"} is taken in as ${id}`);
    const other = taken.get(id);
    if (other !== undefined) throw new OvfError(1, `${system.id} and ${other} would both be called ${id} here; rename one`);
    taken.set(id, system.id);
    if (system.disks.length === 0) throw new OvfError(1, `${system.id} has no disk, and a machine that can be copied needs one`);
    const old = machines.get(id);
    if (system.disks.some((d) => d.usedBytes === null)) unstated.push(id);
    machines.set(id, machineOf(id, system, old, host));
  }
  const notes = renamed.length > 0 ? [`Ids are small letters, digits and hyphens: ${listWords(renamed, 8)}.`] : [];
  if (unstated.length > 0) notes.push(`Of ${countWords(unstated.length, "machine")} the descriptor does not say how full the disks are: they are taken as full (${listWords(unstated)}).`);
  notes.push(`Change, reduction and starting times are no part of a descriptor: for new machines ${ASSUMED_RAW.change.written} written over ${ASSUMED_RAW.change.hot} are assumed, reduction ${ASSUMED_RAW.reduction}, made in ${ASSUMED_RAW.prepare}, started in ${ASSUMED_RAW.boot}.`);
  return { estate: estateFromRaw(toRaw({ ...over, machines: [...machines.values()] })).estate, notes };
}

function machineOf(id: string, system: OvfSystem, old: Machine | undefined, host: string): Machine {
  const firmware = firmwareOf(system) ?? old?.firmware;
  return {
    id,
    name: system.name,
    host: old?.host ?? host,
    cores: system.cores,
    memory: system.memory,
    disks: system.disks.map((d, i) => ({ id: diskId(d.id, i), size: d.bytes, used: d.usedBytes ?? d.bytes })),
    change: old?.change ?? ASSUMED_MACHINE.change,
    reduction: old?.reduction ?? ASSUMED_MACHINE.reduction,
    prepare: old?.prepare ?? ASSUMED_MACHINE.prepare,
    boot: old?.boot ?? ASSUMED_MACHINE.boot,
    ...(old?.attached ? { attached: old.attached } : {}),
    ...(firmware ? { firmware } : {}),
  };
}

/** A system as a platform would list it: no host, and networks by their names only. */
export function machineFromOvf(system: OvfSystem): Omit<DiscoveredMachine, "host" | "running" | "folder"> {
  const firmware = firmwareOf(system);
  return { id: idOf(system.id) || "unnamed", name: system.name, cores: system.cores, memory: system.memory, disks: system.disks.map((d, i) => ({ id: diskId(d.id, i), size: d.bytes, ...(d.usedBytes === null ? {} : { used: d.usedBytes }) })), ...(firmware ? { firmware } : {}), attached: [] };
}

const firmwareOf = ({ firmware }: OvfSystem): Firmware | undefined => (firmware === "bios" ? "bios" : firmware === "efi" || firmware === "uefi" ? "uefi" : undefined);
const diskId = (text: string, i: number): string => idOf(text) || `disk-${i + 1}`;
const idOf = (text: string): string => text.toLowerCase().replaceAll(/[^a-z0-9]+/g, "-").replace(/^[^a-z]+/, "").replace(/-+$/, "");
