/**
 * The estate: what exists, how it is protected and what it must withstand. Instants are epoch
 * milliseconds (UTC), durations seconds, sizes bytes, rates bytes per second.
 */
export type SiteId = string;
export type HostId = string;
export type StoreId = string;
export type MachineId = string;
export type ServiceId = string;
export type NetworkId = string;

export type Organisation = { id: string; name: string; timeZone: string };

/** `timeZone` where it differs from the organisation's; `place` in degrees on WGS 84. */
export type Site = { id: SiteId; name: string; kind: "room" | "region"; country: string; timeZone?: string; place?: Place };
export type Place = { latitude: number; longitude: number };

/** What sites and links share and may lose together: a supply, a cable, a flood plain, a provider's account. */
export type Hazard = { id: string; name: string; kind: HazardKind; takes: string[] };
export const HAZARD_KINDS = ["power", "cable", "flood", "provider"] as const;
export type HazardKind = (typeof HAZARD_KINDS)[number];

/**
 * Each direction has its rate by itself: `rate` from the first site to the second, and back too where
 * no `backRate` is stated. Limits hold in both, in the organisation's time zone.
 */
export type Link = { id: string; between: [SiteId, SiteId]; rate: number; backRate?: number; latencyMs: number; limits: LinkLimit[] };
export type LinkLimit = WeekHours & { rate: number };
/** Minutes of the day in the organisation's time zone; over midnight `from` is greater than `to`. Days 1 = Monday … 7 = Sunday. */
export type WeekHours = { days: number[]; from: number; to: number };

/** A range of addresses at one site, as CIDR. */
export type Network = { id: NetworkId; name: string; site: SiteId; range: string; purpose: NetworkPurpose };
export const NETWORK_PURPOSES = ["production", "copies", "staging"] as const;
export type NetworkPurpose = (typeof NETWORK_PURPOSES)[number];

/**
 * A family of hosts between which a machine runs as it is. `can` is what the family offers, and
 * what it does not closes ways of recovery; `converts` are the families whose machines it takes over.
 */
export type PlatformFamily = { id: string; name: string; kind: PlatformKind; can: Capability[]; converts: string[] };
export const PLATFORM_KINDS = ["hypervisor", "bare", "cloud"] as const;
export type PlatformKind = (typeof PLATFORM_KINDS)[number];
export const CAPABILITIES = ["start-from-copy", "move-running", "network-boot", "quiesce"] as const;
export type Capability = (typeof CAPABILITIES)[number];

export type Host = {
  id: HostId;
  name: string;
  site: SiteId;
  /** The id of a platform family; where the estate lists none, a name by itself. */
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
  kind: StoreKind;
  /** What the bytes lie on, where it is stated. */
  media?: Media;
  capacity: number;
  /** What may be used of the capacity, where that is less. */
  quota?: number;
  readRate: number;
  writeRate: number;
  /** Machines brought back from it side by side. */
  restoreStreams: number;
  /** Bytes per second of scattered small reads, and milliseconds until one answers: whether machines can run from it. */
  randomReadRate?: number;
  latencyMs?: number;
  /** Seconds until what is asked for can be read at all. */
  retrieval?: number;
  redundancy?: Redundancy;
  /** Copies cannot be changed or deleted before their time. */
  locked?: boolean;
  /** Whether what is sent to it is encrypted on the way. */
  encryptedTransport?: boolean;
  prices?: Prices;
};
export const STORE_KINDS = ["disk", "bucket", "archive", "drive"] as const;
export type StoreKind = (typeof STORE_KINDS)[number];
export const MEDIA = ["disk", "flash", "tape", "optical", "provider"] as const;
export type Media = (typeof MEDIA)[number];

/** Copies that the store keeps by itself, and in which other site; `second` tells when that one may be read. */
export type Redundancy = { copies: number; secondSite?: SiteId; second?: SecondReading };
export const SECOND_READINGS = ["at-will", "declared-disaster"] as const;
export type SecondReading = (typeof SECOND_READINGS)[number];
/** In one currency, by TiB kept a month and by TiB read. */
export type Prices = { currency: string; keepTiBMonth: number; readTiB: number };

/** A passphrase without which copies are useless, and who holds it in writing where. */
export type Key = { id: string; name: string; opens: StoreId[]; holders: KeyHolder[] };
/** `tried`: the day on which it was last shown to open what it should, as YYYY-MM-DD. */
export type KeyHolder = { who: string; place: string; site?: SiteId; tried?: string };

export type Disk = { id: string; size: number; used: number };

export type Machine = {
  id: MachineId;
  name: string;
  host: HostId;
  cores: number;
  memory: number;
  disks: Disk[];
  firmware?: Firmware;
  attached?: Attachment[];
  /** Since when its source is gone from the platform (an ISO instant): it stays for its points. */
  gone?: string;
  change: ChangeRate;
  /** Stored size over logical size, as far as is known. */
  reduction: number;
  /** Stated estimates for a place where it has never run. */
  prepare: number;
  boot: number;
};

export const FIRMWARES = ["bios", "uefi"] as const;
export type Firmware = (typeof FIRMWARES)[number];
export type Attachment = { network: NetworkId; address?: string };

/** Bytes written per hour at random over a hot set (bytes), and bytes grown per hour apart. */
export type ChangeRate = { hot: number; written: number; grown: number };

export type Dependency = { service: ServiceId; strength: Strength };
export const STRENGTHS = ["hard", "soft"] as const;
export type Strength = (typeof STRENGTHS)[number];

/** Potential impact as FIPS 199 grades it: limited, serious, severe or catastrophic adverse effect. */
export const IMPACT_LEVELS = ["low", "moderate", "high"] as const;
export type ImpactLevel = (typeof IMPACT_LEVELS)[number];
/** What is felt once a service has been away for so many seconds. */
export type Impact = { after: number; what: string; level?: ImpactLevel };
/** FIPS 199 security category: what loss of each would mean. */
export type SecurityCategory = Record<(typeof SECURITY_OBJECTIVES)[number], ImpactLevel>;
export const SECURITY_OBJECTIVES = ["confidentiality", "integrity", "availability"] as const;

/** Whom one reaches about a service, by role, and how. */
export type Contact = { role: string; reach: string };

/**
 * What proves that a service is up. `to` is what is tried: an address for `http` and `sign-in`,
 * host:port for `tcp` and `outside`, a name for `name`, what is run for `command`. The last two are
 * tried from inside a machine, by its platform. `seconds`: how long it takes in a run.
 */
export type Check = { kind: CheckKind; seconds: number; to?: string; machine?: MachineId };
export const CHECK_KINDS = ["http", "tcp", "name", "sign-in", "outside", "command"] as const;
export type CheckKind = (typeof CHECK_KINDS)[number];
export const CHECKS_INSIDE: readonly CheckKind[] = ["outside", "command"];

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
  /** In a loop of hard dependencies the lower one starts first. */
  startOrder?: number;
  /** The name by which it is found, switched when it moves. */
  serviceName: string;
  /** At least one. */
  checks: Check[];
  tell: string;
  /** Ascending in time; empty where nobody has written it down. */
  impact: Impact[];
  category?: SecurityCategory;
  /** When it is needed; empty stands for always. */
  hours: WeekHours[];
  contacts: Contact[];
  /** Countries in which its copies may lie; undefined for any. */
  copiesIn?: string[];
};

/**
 * Machines that are recovered to one common instant: their points may lie at most `within` seconds
 * apart, or what they hold together does not agree.
 */
export type ConsistencyGroup = { id: string; name: string; machines: MachineId[]; within: number };

/** What a site has ready for machines that land on one of its platforms after a loss elsewhere. */
export type LandingZone = {
  id: string;
  site: SiteId;
  /** Family of the hosts there. */
  platform: string;
  /** Where recovered machines are put on the platform. */
  group?: string;
  /** Which network there takes the place of one at home. */
  networks: { from: NetworkId; to: NetworkId }[];
  /** Disk pool for what is staged, and for the writes of machines that run from a copy. */
  staging?: string;
  /** The account by which machines are made there. */
  account?: string;
  /** Names of the driver and boot media that machines of other kinds need. */
  media: string[];
  /** Address from which hosts there read copies. */
  exports?: string;
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
  networks: Network[];
  platforms: PlatformFamily[];
  hosts: Host[];
  stores: Store[];
  keys: Key[];
  machines: Machine[];
  services: Service[];
  groups: ConsistencyGroup[];
  policies: Policy[];
  landings: LandingZone[];
};

export const usedBytes = (machine: Machine): number => machine.disks.reduce((sum, disk) => sum + disk.used, 0);
/** What may be used of a store. */
export const storeCapacity = (store: Store): number => Math.min(store.capacity, store.quota ?? Infinity);
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
