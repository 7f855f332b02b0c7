import type { Inventory } from "#core/estate/discovery.ts";
import type { ObservedFlow } from "#core/estate/flow.ts";

/** What trying a platform tells, in this order; what comes after one that failed could not be tried. */
export const TRIALS = ["reach", "certificate", "account", "right", "clock"] as const;
export type Trial = { what: (typeof TRIALS)[number]; outcome: "good" | "wrong" | "untried"; words: string; shown?: string };

/** How a platform is reached. Passwords are sealed at rest and never shown again. */
export type ManagerAccess = { kind: "manager"; address: string; account: string; password: string; fingerprint: string } | { kind: "image-folder"; path: string; host: string };

export type InsideKind = "outside" | "command";

/** Whoever knows what runs on a platform. */
export interface PlatformManager {
  /** Tries everything that discovery and copies will need, and changes nothing. Never throws for what it finds wrong. */
  try(): Promise<Trial[]>;
  /** All that runs there. Throws `ManagerError` with a sentence. */
  inventory(progress: (words: string) => void): Promise<Inventory>;
  /** Connections that it saw between machines, with instants counted back from `now`; none where it does not look. */
  flows(now: number, progress: (words: string) => void): Promise<ObservedFlow[]>;
  /** Runs a command inside a machine, or tries from inside it to reach host:port. Throws `ManagerError` where it cannot. */
  inside(kind: InsideKind, machine: string, to: string): Promise<{ good: boolean; words: string }>;
}

export class ManagerError extends Error {
  override readonly name = "ManagerError";
  constructor(
    readonly what: Trial["what"],
    message: string,
    /** The fingerprint that was shown instead of the expected one. */
    readonly shown?: string,
  ) {
    super(message);
  }
}
