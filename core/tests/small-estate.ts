import { type Estate, usedBytes } from "../estate/model.ts";
import type { CopyFact } from "../copies/copy-fact.ts";

export const GIB = 2 ** 30;
export const MIB = 2 ** 20;
export const HOUR_MS = 3_600_000;
/** A Monday, ten in the morning UTC. */
export const AT = Date.UTC(2026, 2, 2, 10);

/** Two rooms and a region; two services, one of which needs the other. Tests change what they are about. */
export function smallEstate(change: (estate: Estate) => void = () => undefined): Estate {
  const machine = (id: string, host: string, gib: number): Estate["machines"][number] => ({ id, name: id, host, cores: 4, memory: 8 * GIB, disks: [{ id: "system", size: gib * 2 * GIB, used: gib * GIB }], change: { hot: 2 * GIB, written: GIB, grown: 0 }, reduction: 0.5, prepare: 20, boot: 60 });
  const service = (id: string, machines: string[], more: Partial<Estate["services"][number]> = {}): Estate["services"][number] => ({ id, name: id, tier: 1, owner: "owner", rto: 3_600, rpo: 3_600, mtd: null, wrt: 0, machines, dependsOn: [], serviceName: `${id}.example`, checks: [{ kind: "tcp", seconds: 10 }], tell: "people", impact: [{ after: 3_600, what: "queues" }], hours: [], contacts: [], ...more });
  const estate: Estate = {
    organisation: { id: "o", name: "O", timeZone: "Europe/Tallinn" },
    assumptions: { detection: 120, decision: 180, nameSwitch: 60, message: 20, crew: 1 },
    coordinator: { site: "quay", copy: { method: "archive", site: "cloud" }, returns: { site: "yard", seconds: 240 } },
    sites: [
      { id: "quay", name: "Quay", kind: "room", country: "EE" },
      { id: "yard", name: "Yard", kind: "room", country: "EE" },
      { id: "cloud", name: "Cloud", kind: "region", country: "FI" },
    ],
    hazards: [],
    links: [
      { id: "qy", between: ["quay", "yard"], rate: 100 * MIB, latencyMs: 1, limits: [] },
      { id: "yc", between: ["yard", "cloud"], rate: 50 * MIB, latencyMs: 9, limits: [] },
    ],
    networks: [],
    platforms: [],
    hosts: [
      { id: "q1", name: "Quay host", site: "quay", platform: "skerry", cores: 32, memory: 128 * GIB, pool: 2048 * GIB, poolRate: 800 * MIB, starts: 2 },
      { id: "y1", name: "Yard host", site: "yard", platform: "skerry", cores: 16, memory: 64 * GIB, pool: 1024 * GIB, poolRate: 400 * MIB, starts: 2 },
    ],
    stores: [
      { id: "qd", name: "Quay disks", site: "quay", kind: "disk", capacity: 4096 * GIB, readRate: 400 * MIB, writeRate: 300 * MIB, restoreStreams: 2 },
      { id: "yd", name: "Yard disks", site: "yard", kind: "disk", capacity: 4096 * GIB, readRate: 200 * MIB, writeRate: 200 * MIB, restoreStreams: 1 },
      { id: "cb", name: "Cloud bucket", site: "cloud", kind: "bucket", capacity: 4096 * GIB, readRate: 100 * MIB, writeRate: 100 * MIB, restoreStreams: 2 },
    ],
    keys: [],
    machines: [machine("db", "q1", 40), machine("web", "q1", 20)],
    services: [service("data", ["db"]), service("site", ["web"], { tier: 2, dependsOn: [{ service: "data", strength: "hard" }] })],
    policies: [{ id: "p", name: "P", machines: ["db", "web"], every: 3_600, legs: [{ from: "machine", to: "qd" }, { from: "qd", to: "yd" }, { from: "yd", to: "cb" }] }],
    groups: [],
    landings: [],
  };
  change(estate);
  return estate;
}

/** One whole copy of a machine, captured so many seconds before AT and arrived a minute later. */
export function copyOf(estate: Estate, machine: string, store: string, secondsBefore: number, more: Partial<CopyFact> = {}): CopyFact {
  const capturedAt = AT - secondsBefore * 1000;
  return { point: `${machine}@${capturedAt}`, machine, capturedAt, store, arrivedAt: capturedAt + 60_000, state: "whole", dataBytes: usedBytes(estate.machines.find((m) => m.id === machine)!), ...more };
}
