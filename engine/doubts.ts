import { type Digest, isDigest } from "./digest.ts";
import type { Store } from "./stores/store.ts";

const DOUBTED = "doubted/";

/** The blobs of a store of which something was found damaged or gone; a mark in the store tells every process, now and later. */
export class Doubts {
  private readonly blobs = new Set<Digest>();

  constructor(private readonly store: Store) {}

  /** Reads the marks that others have left. */
  async read(): Promise<void> {
    for await (const { name } of this.store.list(DOUBTED)) {
      const digest = name.slice(DOUBTED.length);
      if (isDigest(digest)) this.blobs.add(digest);
    }
  }

  has(blob: Digest): boolean {
    return this.blobs.has(blob);
  }

  /** A store that cannot be written to is found out anew by the next process. */
  async add(blob: Digest): Promise<void> {
    this.blobs.add(blob);
    await this.store.put(DOUBTED + blob, Buffer.alloc(0)).catch(() => undefined);
  }

  async remove(blob: Digest): Promise<void> {
    this.blobs.delete(blob);
    await this.store.delete(DOUBTED + blob).catch(() => undefined);
  }
}
