/**
 * What the coordinator and the stand-in world say to each other, as JSON over loopback HTTP.
 * The world is the only holder of model time. Operations carry a key: the same key given twice is
 * one operation. Events are delivered until they are acknowledged, and the world stands still at
 * an event's instant until then.
 */
export type WorldOperation = { key: string; foreground: boolean } & (
  | { kind: "wake"; at: number }
  | { kind: "flow"; bytes: number; uses: { resource: string; coefficient: number }[] }
  /** `takes` (seconds) overrides how long the world would take: 0 where somebody's hand has done it already. */
  | { kind: "act"; action: WorldAction; takes?: number }
);

export type WorldAction =
  | { type: "snapshot"; machine: string }
  | { type: "prepare"; enclave: string; machine: string; host: string; disks: { id: string; bytes: number }[] }
  | { type: "boot"; enclave: string; machine: string }
  | { type: "switch-name"; enclave: string; name: string; machines: string[] }
  | { type: "check"; enclave: string; service: string }
  | { type: "tell"; enclave: string; to: string; text: string };

/** What an act came to; `detail` is a sentence. */
export type WorldResult = { ok: boolean; detail: string; data?: Record<string, unknown> };

export type WorldEvent = { seq: number; instant: number; key: string; result: WorldResult };

export type PaceMode = "wall" | "hurried" | "always-hurried" | "events";
export type Pace = { mode: PaceMode; factor: number };

export const PACE_MODES = ["wall", "hurried", "always-hurried", "events"] as const satisfies readonly PaceMode[];

export type WorldStatus = {
  instant: number;
  pace: Pace;
  /** Model seconds per wall second just now; Infinity while it goes from event to event. */
  effective: number | "events";
  held: boolean;
  flows: { key: string; bytes: number; left: number; rate: number }[];
};

/** What is begun is accepted before the acknowledged events are let go: at their instant, that is. */
export type NextRequest = { begin?: WorldOperation[]; acknowledge: number[]; waitMs: number };
export type NextReply = { instant: number; events: WorldEvent[] };

/** Nominal and real bytes of a block on a stand-in disk. */
export const WORLD_SCALE = { nominalBlock: 64 * 1024 * 1024, realBlock: 256 } as const;

export type MachineOnPlatform = { id: string; host: string; disks: { id: string; bytes: number }[]; state: "running" | "off" };
export type EnclaveReport = {
  id: string;
  machines: { id: string; host: string; state: "made" | "running" }[];
  names: { name: string; machines: string[] }[];
  messages: { to: string; text: string; instant: number }[];
};
