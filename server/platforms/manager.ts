import type { Inventory } from "#core/estate/discovery.ts";

/** What trying a platform tells, in this order; what comes after one that failed could not be tried. */
export const TRIALS = ["reach", "certificate", "account", "right", "clock"] as const;
export type Trial = { what: (typeof TRIALS)[number]; outcome: "good" | "wrong" | "untried"; words: string; shown?: string };

/** How a platform is reached. Passwords are sealed at rest and never shown again. */
export type ManagerAccess = { kind: "manager"; address: string; account: string; password: string; fingerprint: string } | { kind: "image-folder"; path: string; host: string };

/** Whoever knows what runs on a platform. */
export interface PlatformManager {
  /** Tries everything that discovery and copies will need, and changes nothing. Never throws for what it finds wrong. */
  try(): Promise<Trial[]>;
  /** All that runs there. Throws `ManagerError` with a sentence. */
  inventory(progress: (words: string) => void): Promise<Inventory>;
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
