import { digestBytes, type Digest, digestFromBytes } from "../digest.ts";
import { EngineError } from "../errors.ts";

/**
 * The map of one stream: a tree of pages over its blocks in order. Leaves cover a fixed stretch of
 * blocks, so pages of unchanged stretches have unchanged digests and are shared between points.
 *
 *   leaf:     "YPM0" · count u32 · entries (36 bytes): digest 32 (zero for a hole) · nominal length u32
 *   interior: "YPM1" · count u32 · digests of the pages below (32 bytes each)
 */
export type BlockEntry = { digest: Digest | null; nominalBytes: number };
/** Short streams carry their entries in the catalogue; longer ones the root page and its height. */
export type StreamMap = { kind: "inline"; entries: BlockEntry[] } | { kind: "tree"; root: Digest; height: number };

const LEAF = Buffer.from("YPM0");
const INTERIOR = Buffer.from("YPM1");
const LEAF_ENTRY = 36;
export const PAGE_ENTRIES = 256;
export const INLINE_ENTRIES = 8;
const NO_DIGEST = "0".repeat(64);

export type PageSink = (page: Buffer) => Promise<Digest>;
export type PageSource = (digest: Digest) => Promise<Buffer>;

/** Writes the pages of a stream as its blocks arrive in order; holds one unfinished page a level. */
export class BlockMapWriter {
  private leaf: BlockEntry[] = [];
  private levels: Digest[][] = [];

  constructor(private readonly put: PageSink) {}

  async add(entry: BlockEntry): Promise<void> {
    this.leaf.push(entry);
    // One more than an inline map may hold shows that this stream needs pages.
    if (this.leaf.length === PAGE_ENTRIES) await this.cutLeaf();
  }

  /** Takes a whole leaf over from an earlier map, unread; only between leaves. */
  async addLeaf(digest: Digest): Promise<void> {
    if (this.leaf.length > 0) throw new TypeError("a leaf is taken over only between leaves");
    await this.raise(0, digest);
  }

  async finish(): Promise<StreamMap> {
    if (this.levels.length === 0 && this.leaf.length <= INLINE_ENTRIES) return { kind: "inline", entries: this.leaf };
    if (this.leaf.length > 0) await this.cutLeaf();
    let level = 0;
    for (;;) {
      const here = this.levels[level]!;
      const above = this.levels[level + 1];
      if (!above && here.length === 1) return { kind: "tree", root: here[0]!, height: level };
      await this.cutInterior(level);
      level++;
    }
  }

  private async cutLeaf(): Promise<void> {
    const digest = await this.put(encodeLeaf(this.leaf));
    this.leaf = [];
    await this.raise(0, digest);
  }

  private async raise(level: number, digest: Digest): Promise<void> {
    const here = (this.levels[level] ??= []);
    if (here.length === PAGE_ENTRIES) await this.cutInterior(level);
    this.levels[level]!.push(digest);
  }

  private async cutInterior(level: number): Promise<void> {
    const here = this.levels[level]!;
    if (here.length === 0) return;
    this.levels[level] = [];
    await this.raise(level + 1, await this.put(encodeInterior(here)));
  }
}

/** The leaves of a map in order, not yet read; an inline map has none. */
export async function* leafPages(map: StreamMap, get: PageSource): AsyncGenerator<Digest> {
  if (map.kind === "tree") yield* leavesBelow(map.root, map.height, get);
}

async function* leavesBelow(digest: Digest, height: number, get: PageSource): AsyncGenerator<Digest> {
  if (height === 0) yield digest;
  else for (const child of decodeInterior(await get(digest))) yield* leavesBelow(child, height - 1, get);
}

export const readLeaf = async (digest: Digest, get: PageSource): Promise<BlockEntry[]> => decodeLeaf(await get(digest));

/** The blocks of a stream in order, reading one page a level at a time. */
export async function* readBlockMap(map: StreamMap, get: PageSource): AsyncGenerator<BlockEntry> {
  if (map.kind === "inline") yield* map.entries;
  else for await (const leaf of leafPages(map, get)) yield* await readLeaf(leaf, get);
}

/** Digests of all pages of a map, parents before children. */
export async function* mapPages(map: StreamMap, get: PageSource): AsyncGenerator<Digest> {
  if (map.kind === "tree") yield* pagesBelow(map.root, map.height, get);
}

async function* pagesBelow(digest: Digest, height: number, get: PageSource): AsyncGenerator<Digest> {
  yield digest;
  if (height > 0) for (const child of decodeInterior(await get(digest))) yield* pagesBelow(child, height - 1, get);
}

function encodeLeaf(entries: readonly BlockEntry[]): Buffer {
  const page = Buffer.alloc(8 + entries.length * LEAF_ENTRY);
  LEAF.copy(page);
  page.writeUInt32LE(entries.length, 4);
  entries.forEach((entry, i) => {
    const at = 8 + i * LEAF_ENTRY;
    if (entry.digest) page.write(entry.digest, at, "hex");
    page.writeUInt32LE(entry.nominalBytes, at + 32);
  });
  return page;
}

function decodeLeaf(page: Buffer): BlockEntry[] {
  const count = checked(page, LEAF, LEAF_ENTRY);
  return Array.from({ length: count }, (_, i) => {
    const at = 8 + i * LEAF_ENTRY;
    const digest = digestFromBytes(page, at);
    return { digest: digest === NO_DIGEST ? null : digest, nominalBytes: page.readUInt32LE(at + 32) };
  });
}

function encodeInterior(children: readonly Digest[]): Buffer {
  const count = Buffer.alloc(4);
  count.writeUInt32LE(children.length);
  return Buffer.concat([INTERIOR, count, ...children.map(digestBytes)]);
}

function decodeInterior(page: Buffer): Digest[] {
  const count = checked(page, INTERIOR, 32);
  return Array.from({ length: count }, (_, i) => digestFromBytes(page, 8 + i * 32));
}

function checked(page: Buffer, magic: Buffer, entryBytes: number): number {
  const count = page.length >= 8 ? page.readUInt32LE(4) : -1;
  if (!page.subarray(0, 4).equals(magic) || page.length !== 8 + count * entryBytes)
    throw new EngineError("damaged", "a page of a point's map is not what it should be");
  return count;
}
