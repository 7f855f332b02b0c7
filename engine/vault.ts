import { ChunkTable, type ChunkPlace } from "./chunks/chunk-table.ts";
import { type Codec, decodeChunk } from "./chunks/codec.ts";
import { chunkDigest } from "./chunks/chunk.ts";
import { PACK_TRAILER_BYTES, type PackIndex, readRecords, readTrailer } from "./chunks/pack.ts";
import type { Scale } from "./chunks/scale.ts";
import { type Digest, isDigest, sha256, sha256InPool } from "./digest.ts";
import { Doubts } from "./doubts.ts";
import { EngineError, isEngineError } from "./errors.ts";
import type { IndexMemory } from "./index-memory.ts";
import { PageMemory } from "./page-memory.ts";
import { inParallel } from "./parallel.ts";
import type { Publication } from "./points/publication.ts";
import type { Store } from "./stores/store.ts";

export const LAYOUT_FILE = "oci-layout";
const BLOBS = "blobs/sha256/";
const LAYOUT = '{"imageLayoutVersion":"1.0.0"}';
/** Blobs whose trailers are looked at side by side when a store is opened. */
const OPENING_PARALLEL = 16;
/** Neighbouring chunks are read together while the gap is smaller than this, up to the second bound. */
const READ_GAP_BYTES = 65_536;
const READ_MOST_BYTES = 8 * 1024 * 1024;

/** An index as it was remembered; undefined where it cannot be read. */
function indexFrom(bytes: Buffer): PackIndex | undefined {
  const trailer = readTrailer(bytes);
  try {
    return trailer && readRecords(trailer, bytes);
  } catch {
    return undefined;
  }
}

/** A chunk that was read and checked, as it is and as it lies in its pack. */
export type ReadChunk = { real: Buffer; stored: Buffer; codec: Codec };
type TakeChunk = (digest: Digest, chunk: ReadChunk | EngineError) => Promise<void> | void;

/** What is known of a leaf whose chunks were all found here: in which packs they lie, and their nominal bytes. */
export type LeafFacts = { packs: readonly Digest[]; dataBytes: number };

export const blobName = (digest: Digest): string => BLOBS + digest;

/**
 * The contents of one store: an OCI image layout of blobs named by their SHA-256, and the
 * knowledge of which chunk lies in which pack. That knowledge comes from the packs alone, so
 * packs left by a stopped capture are found and used again.
 */
export class Vault {
  private readonly packs: Digest[] = [];
  private readonly packNumbers = new Map<Digest, number>();
  private readonly doubts: Doubts;
  /** Numbers of the packs among the doubted blobs. */
  private readonly doubtedPacks = new Set<number>();
  private readonly table = new ChunkTable();
  private readonly blobs = new Map<Digest, number>();
  /** Whether every published point of the store has been noted here. */
  knowsPublications = false;
  private readonly publications = new Map<Digest, Publication>();
  /** Leaves known to be complete in this store; they need not be walked again. */
  readonly completeLeaves = new Map<Digest, LeafFacts>();
  private readonly pages = new PageMemory();
  /** Nominal bytes of all chunks as they lie here, reduced: what the store is filled with, whoever wrote it. */
  nominalStored = 0;
  private loading: Promise<void> | undefined;
  private loaded = false;

  private constructor(
    readonly store: Store,
    private readonly memory?: IndexMemory,
  ) {
    this.doubts = new Doubts(store);
  }

  get id(): string {
    return this.store.id;
  }

  /** Makes an empty store usable; one that is a vault already stays as it is. */
  static async create(store: Store, memory?: IndexMemory): Promise<Vault> {
    if ((await store.size(LAYOUT_FILE)) === undefined) await store.put(LAYOUT_FILE, Buffer.from(LAYOUT));
    return new Vault(store, memory);
  }

  static async open(store: Store, memory?: IndexMemory): Promise<Vault> {
    if ((await store.size(LAYOUT_FILE)) === undefined)
      throw new EngineError("input", `There is no store here yet: ${store.id} holds no ${LAYOUT_FILE} file. Protect something into it first, or name the folder of a store.`);
    return new Vault(store, memory);
  }

  /** Reads the list of blobs and every pack's index, once. */
  async load(): Promise<void> {
    if (this.loaded) return;
    this.loading ??= this.readIndexes().finally(() => (this.loading = undefined));
    await this.loading;
  }

  private async readIndexes(): Promise<void> {
    const names: { digest: Digest; bytes: number }[] = [];
    for await (const { name, bytes } of this.store.list(BLOBS)) {
      const digest = name.slice(BLOBS.length);
      if (isDigest(digest)) names.push({ digest, bytes });
    }
    await this.doubts.read();
    names.sort((a, b) => (a.digest < b.digest ? -1 : 1));
    const remembered = (await this.memory?.recall()) ?? new Map<Digest, Buffer | null>();
    const look = async ({ digest, bytes }: { digest: Digest; bytes: number }): Promise<void> => {
      const known = remembered.get(digest);
      const index = (known && indexFrom(known)) ?? (known === null ? undefined : await this.readPackIndex(digest, bytes));
      if (index) this.notePack(digest, index);
      if (!this.doubts.has(digest)) this.blobs.set(digest, bytes);
    };
    await inParallel(names.filter(({ digest }) => !this.doubts.has(digest)), OPENING_PARALLEL, look);
    // Last, so that of a chunk that lies elsewhere too the other place counts.
    for (const name of names) if (this.doubts.has(name.digest)) await look(name);
    this.loaded = true;
  }

  private async readPackIndex(digest: Digest, bytes: number): Promise<PackIndex | undefined> {
    try {
      // Small packs come whole in one read; of large ones first the trailer, then the records.
      const from = Math.max(0, bytes - 65_536);
      const tail = await this.store.get(blobName(digest), { from, to: bytes });
      const trailer = readTrailer(tail);
      if (!trailer || trailer.indexOffset > bytes - PACK_TRAILER_BYTES) {
        this.memory?.note(digest, null);
        return undefined;
      }
      const records =
        trailer.indexOffset >= from
          ? tail.subarray(trailer.indexOffset - from)
          : await this.store.get(blobName(digest), { from: trailer.indexOffset, to: bytes });
      const index = readRecords(trailer, records);
      this.memory?.note(digest, records);
      return index;
    } catch (error) {
      // A damaged index hides its chunks, which are then sought elsewhere; verifying names the blob.
      if (isEngineError(error, "damaged") || isEngineError(error, "missing")) return undefined;
      throw error;
    }
  }

  notePack(digest: Digest, index: PackIndex): void {
    if (this.packNumbers.has(digest)) return;
    const pack = this.packs.push(digest) - 1;
    this.packNumbers.set(digest, pack);
    if (this.doubts.has(digest)) this.doubtedPacks.add(pack);
    for (const r of index.records) {
      this.nominalStored += (r.nominalBytes * r.storedBytes) / r.realBytes;
      const known = this.doubtedPacks.size > 0 ? this.table.packOf(r.digest) : undefined;
      this.table.add(r.digest, { pack, offset: r.offset, storedBytes: r.storedBytes, realBytes: r.realBytes, nominalBytes: r.nominalBytes, codec: r.codec }, known !== undefined && this.doubtedPacks.has(known));
    }
  }

  /**
   * Counts no longer on what lies in a blob of which something was found damaged or gone: the next
   * leg that needs it sends it again. Reading still tries it, for most of a pack may be whole.
   */
  private async doubt(blob: Digest): Promise<void> {
    if (this.doubts.has(blob)) return;
    this.blobs.delete(blob);
    this.pages.forget(blob);
    const pack = this.packNumbers.get(blob);
    if (pack !== undefined) this.doubtedPacks.add(pack);
    for (const [leaf, { packs }] of this.completeLeaves) if (leaf === blob || packs.includes(blob)) this.completeLeaves.delete(leaf);
    await this.doubts.add(blob);
  }

  /** A blob that was put or found whole is none to doubt any more. */
  private async trust(blob: Digest): Promise<void> {
    if (!this.doubts.has(blob)) return;
    const pack = this.packNumbers.get(blob);
    if (pack !== undefined) this.doubtedPacks.delete(pack);
    await this.doubts.remove(blob);
  }

  /** Doubts what was known to lie here and does not stand in a newer list of what does. */
  async doubtAllBut(listed: ReadonlySet<Digest>): Promise<void> {
    // What was put after the list was made is there.
    for (const blob of [...this.blobs.keys()]) if (!listed.has(blob) && (await this.store.size(blobName(blob))) === undefined) await this.doubt(blob);
  }

  /** Doubts a blob that is not there, unless the store as a whole is away. */
  private async doubtMissing(blob: Digest): Promise<void> {
    const here = await this.store.size(LAYOUT_FILE).catch(() => undefined);
    if (here !== undefined) await this.doubt(blob);
  }

  publication(id: Digest): Publication | undefined {
    return this.publications.get(id);
  }

  knownPublications(): Publication[] {
    return [...this.publications.values()].sort((a, b) => b.capturedAt - a.capturedAt || (a.id < b.id ? -1 : 1));
  }

  notePublication(publication: Publication): void {
    this.publications.set(publication.id, publication);
  }

  /** Whether a chunk lies here and nothing speaks against its being whole. */
  hasChunk(digest: Digest): boolean {
    return this.packOf(digest) !== undefined;
  }

  chunkPlace(digest: Digest): (ChunkPlace & { packDigest: Digest }) | undefined {
    const place = this.table.get(digest);
    return place && { ...place, packDigest: this.packs[place.pack]! };
  }

  /** The pack in which a chunk lies, where nothing speaks against its being whole there. */
  packOf(digest: Digest): Digest | undefined {
    const pack = this.table.packOf(digest);
    return pack === undefined || this.doubtedPacks.has(pack) ? undefined : this.packs[pack];
  }

  isPack(digest: Digest): boolean {
    return this.packNumbers.has(digest);
  }

  hasBlob(digest: Digest): boolean {
    return this.blobs.has(digest);
  }

  blobBytes(digest: Digest): number | undefined {
    return this.blobs.get(digest);
  }

  /** Puts a blob unless it is there; its name is its digest. */
  async putBlob(bytes: Uint8Array, known?: Digest): Promise<Digest> {
    const digest = known ?? (bytes.length > 65_536 ? await sha256InPool(bytes) : sha256(bytes));
    if (!this.blobs.has(digest)) {
      await this.store.put(blobName(digest), bytes);
      await this.trust(digest);
      this.blobs.set(digest, bytes.length);
      this.pages.keep(digest, bytes);
      if (this.memory) {
        const whole = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
        const trailer = readTrailer(whole);
        this.memory.note(digest, trailer && trailer.indexOffset <= whole.length - PACK_TRAILER_BYTES ? whole.subarray(trailer.indexOffset) : null);
      }
    }
    return digest;
  }

  /**
   * A page, from memory where it was written or read lately. For planning what to copy; bringing
   * back and verifying use `getBlob`, which always looks at what lies in the store.
   */
  async page(digest: Digest): Promise<Buffer> {
    const known = this.pages.get(digest);
    if (known) return known;
    const bytes = await this.getBlob(digest);
    this.pages.keep(digest, bytes);
    return bytes;
  }

  /** Writes down what was learnt of the store's blobs, for the next process. */
  async remember(): Promise<void> {
    await this.memory?.save();
  }

  /** Throws `damaged` where the bytes do not have the digest they are named by, `missing` where there are none. */
  async getBlob(digest: Digest): Promise<Buffer> {
    const bytes = await this.store.get(blobName(digest)).catch(async (error: unknown) => {
      if (isEngineError(error, "missing")) await this.doubtMissing(digest);
      throw error;
    });
    const found = bytes.length > 65_536 ? await sha256InPool(bytes) : sha256(bytes);
    if (found !== digest) {
      await this.doubt(digest);
      throw new EngineError("damaged", `Blob ${digest.slice(0, 12)} in store ${this.id} is damaged`, { store: this.id, blob: digest });
    }
    if (this.doubts.has(digest)) {
      await this.trust(digest);
      this.blobs.set(digest, bytes.length);
    }
    return bytes;
  }

  /**
   * Hands over the given chunks, each checked against its digest, in no stated order.
   * What cannot be read whole is handed over as an error instead.
   */
  async readChunks(digests: readonly Digest[], scale: Scale, take: TakeChunk): Promise<void> {
    const placed: { digest: Digest; place: ChunkPlace }[] = [];
    for (const digest of new Set(digests)) {
      const place = this.table.get(digest);
      if (place) placed.push({ digest, place });
      else await take(digest, new EngineError("missing", `Chunk ${digest.slice(0, 12)} is not in store ${this.id}`, { store: this.id }));
    }
    placed.sort((a, b) => a.place.pack - b.place.pack || a.place.offset - b.place.offset);
    for (let i = 0; i < placed.length; ) {
      const first = placed[i]!.place;
      let end = first.offset + first.storedBytes;
      let j = i + 1;
      for (; j < placed.length; j++) {
        const next = placed[j]!.place;
        if (next.pack !== first.pack || next.offset > end + READ_GAP_BYTES || next.offset + next.storedBytes - first.offset > READ_MOST_BYTES) break;
        end = next.offset + next.storedBytes;
      }
      const group = placed.slice(i, j);
      await this.readGroup(this.packs[first.pack]!, { from: first.offset, to: end }, group, scale, take);
      i = j;
    }
  }

  private async readGroup(
    pack: Digest,
    range: { from: number; to: number },
    group: { digest: Digest; place: ChunkPlace }[],
    scale: Scale,
    take: TakeChunk,
  ): Promise<void> {
    let bytes: Buffer;
    try {
      bytes = await this.store.get(blobName(pack), range);
    } catch (error) {
      if (!(error instanceof EngineError)) throw error;
      if (error.kind === "missing") await this.doubtMissing(pack);
      for (const { digest } of group) await take(digest, error);
      return;
    }
    await inParallel(group, 4, async ({ digest, place }) => {
      const at = place.offset - range.from;
      const damaged = (): EngineError =>
        new EngineError("damaged", `Chunk ${digest.slice(0, 12)} in store ${this.id} is damaged (blob ${pack.slice(0, 12)})`, { store: this.id, blob: pack });
      const stored = bytes.subarray(at, at + place.storedBytes);
      let real: Buffer | undefined;
      try {
        real = await decodeChunk(place.codec, stored, place.realBytes);
      } catch (error) {
        if (!isEngineError(error, "damaged")) throw error;
      }
      const whole = real !== undefined && real.length === place.realBytes && (await chunkDigest(real, scale)) === digest;
      if (!whole) await this.doubt(pack);
      await take(digest, whole ? { real: real!, stored, codec: place.codec } : damaged());
    });
  }
}
