import type { Scale } from "../chunks/scale.ts";
import type { Digest } from "../digest.ts";

/** A point's id is the digest of its config, the same in every store. */
export type PointId = Digest;

export type PointConfig = {
  format: 1;
  name: string;
  /** Epoch milliseconds of the instant whose state this is. */
  capturedAt: number;
  kind: "folder" | "image" | "machine";
  scale: Scale;
  catalogue: { pages: Digest[]; entries: number };
  /** Sum of the streams' nominal sizes. */
  nominalBytes: number;
  /** Nominal bytes to bring back: the streams without their holes. */
  dataBytes: number;
  /** Nominal bytes read as changed for this point. */
  changedBytes: number;
  /** What was left out, with its reason; at most a hundred are named. */
  skipped: { path: string; reason: string }[];
  skippedCount: number;
  /** What describes the machine: cores, memory, firmware, disks; free for the caller. */
  machine?: Record<string, unknown>;
};

/** The small object whose put publishes a point. */
export type Publication = {
  id: PointId;
  name: string;
  kind: PointConfig["kind"];
  capturedAt: number;
  nominalBytes: number;
  changedBytes: number;
  manifest: { digest: Digest; size: number };
};
