/**
 * The estate: what exists, how it is protected and what it must withstand. Instants are epoch
 * milliseconds (UTC), durations seconds, sizes bytes, rates bytes per second.
 */
export type SiteId = string;
export type HostId = string;
export type StoreId = string;
export type MachineId = string;
export type ServiceId = string;

export type Organisation = { id: string; name: string; timeZone: string };

/** `timeZone` where it differs from the organisation's; `place` in degrees on WGS 84. */
export type Site = { id: SiteId; name: string; kind: "room" | "region"; country: string; timeZone?: string; place?: Place };
export type Place = { latitude: number; longitude: number };

/** What sites and links share and may lose together: a supply, a cable, a flood plain, a provider's account. */
export type Hazard = { id: string; name: string; kind: HazardKind; takes: string[] };
export const HAZARD_KINDS = ["power", "cable", "flood", "provider"] as const;
export type HazardKind = (typeof HAZARD_KINDS)[number];

/** Both directions have the rate by themselves; limits hold in the organisation's time zone. */
export type Link = { id: string; between: [SiteId, SiteId]; rate: number; latencyMs: number; limits: LinkLimit[] };
/** `from`/`to` in minutes of the day; a window over midnight has `from` greater than `to`. Days 1 = Monday … 7 = Sunday. */
export type LinkLimit = { days: number[]; from: number; to: number; rate: number };

export type Host = {
  id: HostId;
  name: string;
  site: SiteId;
  platform: string;
  cores: number;
  memory: number;
  pool: number;
  /** Bytes per second its disk pool takes. */
  poolRate: number;
  /** Machines it starts side by side. */
  starts: number;
};

export type Store = {
  id: StoreId;
  name: string;
  site: SiteId;
  kind: "disk" | "bucket";
  capacity: number;
  readRate: number;
  writeRate: number;
  /** Machines brought back from it side by side. */
  restoreStreams: number;
};

export type Disk = { id: string; size: number; used: number };

export type Machine = {
  id: MachineId;
  name: string;
  host: HostId;
  cores: number;
  memory: number;
  disks: Disk[];
  change: ChangeRate;
  /** Stored size over logical size, as far as is known. */
  reduction: number;
  /** Stated estimates for a place where it has never run. */
  prepare: number;
  boot: number;
};

/** Bytes written per hour at random over a hot set (bytes), and bytes grown per hour apart. */
export type ChangeRate = { hot: number; written: number; grown: number };

export type Dependency = { service: ServiceId; strength: "hard" | "soft" };

export type Service = {
  id: ServiceId;
  name: string;
  tier: 1 | 2 | 3 | 4;
  owner: string;
  rto: number;
  rpo: number;
  mtd: number | null;
  wrt: number;
  machines: MachineId[];
  dependsOn: Dependency[];
  /** The name by which it is found, switched when it moves. */
  serviceName: string;
  check: { kind: "http" | "tcp" | "name"; seconds: number };
  tell: string;
};

export type Leg = { from: "machine" | StoreId; to: StoreId };
export type Policy = { id: string; name: string; machines: MachineId[]; every: number; legs: Leg[] };

export type Coordinator = {
  site: SiteId;
  /** How it is itself copied, by another method than it copies others. */
  copy: { method: string; site: SiteId };
  returns: { site: SiteId; seconds: number };
};

/** Stated, not measured: shown as assumptions wherever they enter a figure. */
export type Assumptions = {
  detection: number;
  decision: number;
  nameSwitch: number;
  message: number;
  /** People who switch names and tell others, each one thing at a time. */
  crew: number;
};

export type Estate = {
  organisation: Organisation;
  assumptions: Assumptions;
  coordinator: Coordinator;
  sites: Site[];
  hazards: Hazard[];
  links: Link[];
  hosts: Host[];
  stores: Store[];
  machines: Machine[];
  services: Service[];
  policies: Policy[];
};

export const usedBytes = (machine: Machine): number => machine.disks.reduce((sum, disk) => sum + disk.used, 0);
export const diskBytes = (machine: Machine): number => machine.disks.reduce((sum, disk) => sum + disk.size, 0);

const known = new WeakMap<readonly unknown[], ReadonlyMap<string, unknown>>();

/** Items by their id. A list is gone through once, however often it is asked for; it must not change an id afterwards. */
export function byId<T extends { id: string }>(items: readonly T[]): ReadonlyMap<string, T> {
  const had = known.get(items) as ReadonlyMap<string, T> | undefined;
  if (had?.size === items.length) return had;
  const map = new Map(items.map((item) => [item.id, item]));
  known.set(items, map);
  return map;
}

export function siteOfMachine(estate: Estate, machine: Machine): SiteId {
  return estate.hosts.find((host) => host.id === machine.host)!.site;
}
