import type { Attachment, Capability, CheckKind, Contact, Dependency, Estate, Firmware, ImpactLevel, LandingZone, Media, PlatformKind, Prices, Redundancy, SecurityCategory, StoreKind } from "#core/estate/model.ts";

export type RawCheck = { kind: CheckKind; takes: string; to?: string; machine?: string };

/** The file as written: quantities in words, what has a usual value left out. The types follow the schema. */
export type RawEstate = {
  format: 1;
  organisation: Estate["organisation"];
  assumptions: { detection: string; decision: string; nameSwitch: string; message: string; crew: number };
  coordinator: { site: string; copy: { method: string; site: string }; returns: { site: string; within: string } };
  sites: Estate["sites"];
  hazards?: Estate["hazards"];
  links?: { id: string; between: [string, string]; rate: string; backRate?: string; latencyMs: number; limits?: { days: number[]; from: string; to: string; rate: string }[] }[];
  networks?: Estate["networks"];
  platforms?: { id: string; name: string; kind: PlatformKind; can?: Capability[]; converts?: string[] }[];
  hosts: { id: string; name: string; site: string; platform: string; cores: number; memory: string; pool: string; poolRate: string; starts: number }[];
  stores: {
    id: string;
    name: string;
    site: string;
    kind: StoreKind;
    media?: Media;
    capacity: string;
    quota?: string;
    readRate: string;
    writeRate: string;
    restoreStreams: number;
    randomReadRate?: string;
    latencyMs?: number;
    retrieval?: string;
    redundancy?: Redundancy;
    locked?: boolean;
    encryptedTransport?: boolean;
    prices?: Prices;
  }[];
  keys?: Estate["keys"];
  machines: {
    id: string;
    name?: string;
    host: string;
    cores: number;
    memory: string;
    disks: { id: string; size: string; used: string }[];
    firmware?: Firmware;
    attached?: Attachment[];
    gone?: string;
    change: { hot: string; written: string; grown: string };
    reduction: number;
    prepare: string;
    boot: string;
  }[];
  services: {
    id: string;
    name: string;
    tier: 1 | 2 | 3 | 4;
    owner: string;
    rto: string;
    rpo: string;
    mtd?: string;
    wrt?: string;
    machines: string[];
    dependsOn?: Dependency[];
    startOrder?: number;
    serviceName: string;
    checks?: RawCheck[];
    /** An older way to write a list of one. */
    check?: RawCheck;
    tell: string;
    impact?: { after: string; what: string; level?: ImpactLevel }[];
    category?: SecurityCategory;
    hours?: { days: number[]; from: string; to: string }[];
    contacts?: Contact[];
    copiesIn?: string[];
  }[];
  groups?: { id: string; name: string; machines: string[]; within: string }[];
  policies?: { id: string; name: string; machines: string[]; every: string; legs: { from: string; to: string }[] }[];
  landings?: (Omit<LandingZone, "networks" | "media"> & Partial<Pick<LandingZone, "networks" | "media">>)[];
  points?: { machine: string; capturedAt: string; stores: string[] }[];
};
