import type { Scale } from "../chunks/scale.ts";
import type { CatalogueEntry } from "../points/catalogue.ts";
import type { StreamMap } from "../points/block-map.ts";
import type { PointConfig } from "../points/publication.ts";

/** Something that can be captured: it gives its entries in catalogue order. */
export interface Source {
  readonly kind: PointConfig["kind"];
  readonly scale: Scale;
  readonly machine?: Record<string, unknown>;
  entries(): AsyncIterable<SourceItem>;
}

export type SourceItem =
  | { kind: "entry"; entry: CatalogueEntry; stream?: BlockStream }
  | { kind: "skipped"; path: string; reason: string };

/** The contents of a file or disk as a row of blocks; the last one may be short. */
export interface BlockStream {
  readonly nominalBytes: number;
  /**
   * With change tracking: the earlier map and the blocks that may differ from it, ascending.
   * Without: every block is read.
   */
  readonly since?: { map: StreamMap | undefined; changed: readonly number[] };
  /** Real bytes of one block. */
  read(block: number): Promise<Buffer>;
  close?(): Promise<void>;
}
