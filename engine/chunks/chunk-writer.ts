import type { Digest } from "../digest.ts";
import { sha256InPool } from "../digest.ts";
import type { ReadChunk, Vault } from "../vault.ts";
import { chunkDigest } from "./chunk.ts";
import { encodeChunk } from "./codec.ts";
import { encodePack, type PackedChunk, readRecords, readTrailer } from "./pack.ts";
import type { Scale } from "./scale.ts";

/** Real bytes at which a pack is cut; small enough that two of them in flight stay modest in memory. */
const PACK_BYTES = 16 * 1024 * 1024;
const PACK_CHUNKS = 1_024;

export type WriterTotals = {
  chunksSent: number;
  chunksKnown: number;
  /** Nominal bytes of the chunks that were not there before. */
  nominalSent: number;
  /** The same after reduction: what they take in the store, nominal. */
  nominalStored: number;
  realStored: number;
};

/** Turns chunks into packs, leaving out what the store holds already. One scale, any number of streams. */
export class ChunkWriter {
  readonly totals: WriterTotals = { chunksSent: 0, chunksKnown: 0, nominalSent: 0, nominalStored: 0, realStored: 0 };
  private gathered: PackedChunk[] = [];
  private gatheredBytes = 0;
  private readonly underWay = new Set<Digest>();
  private writing: Promise<void> = Promise.resolve();

  constructor(
    private readonly vault: Vault,
    private readonly scale: Scale,
  ) {}

  /** Gives the chunk's digest once it is gathered; it is durable only after `flush`. */
  async add(real: Uint8Array, nominalBytes: number): Promise<Digest> {
    const digest = await chunkDigest(real, this.scale);
    if (!this.isNew(digest)) return digest;
    const { codec, stored } = await encodeChunk(real);
    await this.gather({ digest, stored, realBytes: real.length, nominalBytes, codec });
    return digest;
  }

  /** Takes a chunk over from another store as it lies there; it was checked when it was read. */
  async addRead(digest: Digest, { real, stored, codec }: ReadChunk, nominalBytes: number): Promise<void> {
    if (this.isNew(digest)) await this.gather({ digest, stored, realBytes: real.length, nominalBytes, codec });
  }

  private isNew(digest: Digest): boolean {
    if (this.underWay.has(digest) || this.vault.hasChunk(digest)) {
      this.totals.chunksKnown++;
      return false;
    }
    this.underWay.add(digest);
    return true;
  }

  private async gather(chunk: PackedChunk): Promise<void> {
    this.gathered.push(chunk);
    this.gatheredBytes += chunk.stored.length;
    this.totals.chunksSent++;
    this.totals.nominalSent += chunk.nominalBytes;
    this.totals.nominalStored += Math.round((chunk.nominalBytes * chunk.stored.length) / chunk.realBytes);
    if (this.gatheredBytes >= PACK_BYTES || this.gathered.length >= PACK_CHUNKS) await this.cut();
  }

  /** Resolves when everything gathered is in the store. */
  async flush(): Promise<void> {
    if (this.gathered.length > 0) await this.cut();
    await this.writing;
  }

  /** Begins to write a pack while the next one is gathered; waits for the one before, so that two are in memory at most. */
  private async cut(): Promise<void> {
    const chunks = this.gathered;
    this.gathered = [];
    this.gatheredBytes = 0;
    const before = this.writing;
    this.writing = before.then(() => this.write(chunks));
    // A failure is met by whoever waits next, at the latest by `flush`.
    this.writing.catch(() => undefined);
    await before;
  }

  private async write(chunks: readonly PackedChunk[]): Promise<void> {
    const pack = encodePack(this.scale, chunks);
    const digest = await sha256InPool(pack);
    await this.vault.putBlob(pack, digest);
    const trailer = readTrailer(pack)!;
    this.vault.notePack(digest, readRecords(trailer, pack.subarray(trailer.indexOffset)));
    this.totals.realStored += pack.length;
    for (const chunk of chunks) this.underWay.delete(chunk.digest);
  }
}
