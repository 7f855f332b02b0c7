import { diskBytes, type Estate, type Host, type HostId, type Machine, type MachineId, type SiteId } from "../estate/model.ts";
import { runsFamily } from "../estate/platforms.ts";
import { countWords, listWords, sizeWords } from "../wording/amounts.ts";
import type { Outage } from "./closure.ts";

export type Room = { cores: number; memory: number; pool: number };
export type Placed = { kind: "placed"; hosts: Map<MachineId, HostId> };
export type Unplaced = { kind: "unplaced"; machine: MachineId; reason: string; details: string[] };

/** What surviving hosts have left beside the machines that run on them. */
export function freeRoom(estate: Estate, outage: Outage): Map<HostId, Room> {
  const room = new Map<HostId, Room>();
  for (const { id, cores, memory, pool } of estate.hosts) if (!outage.hosts.has(id)) room.set(id, { cores, memory, pool });
  for (const machine of estate.machines) {
    const left = room.get(machine.host);
    if (left) Object.assign(left, { cores: left.cores - machine.cores, memory: left.memory - machine.memory, pool: left.pool - diskBytes(machine) });
  }
  return room;
}

/**
 * Puts all machines of one service on surviving hosts or none of them (half a service is worth
 * nothing), largest first, each on the host that keeps the least memory free after it. Takes the
 * room it uses out of `room` only when all found a place.
 *
 * `reachable` tells whether a machine's copies can be brought to a site.
 */
export function placeService(
  estate: Estate,
  machines: readonly Machine[],
  room: Map<HostId, Room>,
  reachable: (machine: MachineId, site: SiteId) => boolean,
): Placed | Unplaced {
  const platformOf = new Map(estate.hosts.map((host) => [host.id, host.platform]));
  const trial = new Map([...room].map(([id, r]) => [id, { ...r }]));
  const hosts = new Map<MachineId, HostId>();
  for (const machine of [...machines].sort((a, b) => b.memory - a.memory || b.cores - a.cores)) {
    const platform = platformOf.get(machine.host)!;
    const candidates = estate.hosts.filter((h) => trial.has(h.id) && runsFamily(estate, h, platform) !== null && reachable(machine.id, h.site));
    const fitting = candidates
      .filter((h) => fits(machine, trial.get(h.id)!))
      .sort((a, b) => trial.get(a.id)!.memory - trial.get(b.id)!.memory || (a.id < b.id ? -1 : 1));
    const chosen = fitting[0];
    if (!chosen) return { kind: "unplaced", machine: machine.id, ...whyNot(machine, platform, candidates, trial) };
    const r = trial.get(chosen.id)!;
    trial.set(chosen.id, { cores: r.cores - machine.cores, memory: r.memory - machine.memory, pool: r.pool - diskBytes(machine) });
    hosts.set(machine.id, chosen.id);
  }
  for (const [id, r] of trial) room.set(id, r);
  return { kind: "placed", hosts };
}

const fits = (machine: Machine, r: Room): boolean => machine.cores <= r.cores && machine.memory <= r.memory && diskBytes(machine) <= r.pool;

type Refusal = Pick<Unplaced, "reason" | "details">;

/** Which resource is short, where, by how much; a machine too large for every host is told apart from one that only finds them taken. */
function whyNot(machine: Machine, platform: string, candidates: readonly Host[], room: ReadonlyMap<HostId, Room>): Refusal {
  if (candidates.length === 0) {
    const reason = `no surviving host runs ${platform} machines where a copy of ${machine.name} can be brought`;
    return { reason, details: [`It cannot return: ${reason}.`] };
  }
  const needs = { cores: machine.cores, memory: machine.memory, pool: diskBytes(machine) };
  const words = { cores: (n: number) => countWords(n, "core"), memory: (n: number) => `${sizeWords(n)} of memory`, pool: (n: number) => `${sizeWords(n)} of disk` };
  const kinds = ["cores", "memory", "pool"] as const;
  const tooLarge = kinds.find((kind) => candidates.every((h) => h[kind] < needs[kind]));
  const details = candidates.map((host) => {
    const r = room.get(host.id)!;
    const missing = kinds.filter((kind) => needs[kind] > r[kind]).map((kind) => `${words[kind](needs[kind] - Math.max(0, r[kind]))} short`);
    return `${host.name} is ${listWords(missing)} for ${machine.name}.`;
  });
  if (tooLarge) {
    const most = Math.max(...candidates.map((h) => h[tooLarge]));
    return { reason: `${machine.name} needs ${words[tooLarge](needs[tooLarge])} and no surviving host has more than ${tooLarge === "cores" ? most : sizeWords(most)}`, details };
  }
  return { reason: `no host has room left for ${machine.name}`, details };
}
