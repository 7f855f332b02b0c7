import { isZero } from "./chunks/chunk.ts";
import { ChunkWriter, type WriterTotals } from "./chunks/chunk-writer.ts";
import { isOneToOne, type Scale } from "./chunks/scale.ts";
import type { Digest } from "./digest.ts";
import { inParallel } from "./parallel.ts";
import { type BlockEntry, BlockMapWriter, leafPages, PAGE_ENTRIES, type PageSource, readLeaf, type StreamMap } from "./points/block-map.ts";
import { CatalogueWriter } from "./points/catalogue.ts";
import { pointIdOf, publishPoint } from "./points/point.ts";
import type { PointConfig, Publication } from "./points/publication.ts";
import { sliceBytes, type SlicePort } from "./slices.ts";
import type { BlockStream, Source } from "./sources/source.ts";
import type { Vault } from "./vault.ts";

export type CaptureResult = { publication: Publication; config: PointConfig; totals: WriterTotals };

/** Blocks read, hashed and compressed side by side; with 256 KiB blocks that is 2 MiB in flight. */
const BLOCKS_AT_ONCE = 8;
/** 64 MiB of a real source: how often progress is told. */
const REAL_BLOCKS_PER_SLICE = 256;
const SKIPPED_NAMED = 100;
/** Entries gathered before they are written to the map, so that memory does not follow the size of the source. */
const GATHERED_ENTRIES = 4_096;

/**
 * Captures a source into a store as one point. Reads what may have changed, writes only chunks the
 * store has not, and publishes when everything is there. May be called again after an interruption
 * with the same source, name and instant: what has arrived is not sent again.
 */
export async function capture(vault: Vault, source: Source, what: { name: string; capturedAt: number }, port: SlicePort): Promise<CaptureResult> {
  await vault.load();
  const writer = new ChunkWriter(vault, source.scale);
  const putPage = (page: Buffer): Promise<Digest> => vault.putBlob(page);
  const catalogue = new CatalogueWriter(putPage);
  const skipped: PointConfig["skipped"] = [];
  let skippedCount = 0;
  let nominalBytes = 0;
  let dataBytes = 0;
  let changedBytes = 0;
  for await (const item of source.entries()) {
    if (item.kind === "skipped") {
      skippedCount++;
      if (skipped.length < SKIPPED_NAMED) skipped.push({ path: item.path, reason: item.reason });
      continue;
    }
    const { entry, stream } = item;
    if (stream) {
      try {
        const caught = await captureStream(vault, writer, stream, source.scale, entry.path.toString("base64url"), port);
        entry.map = caught.map;
        changedBytes += caught.changedBytes;
        dataBytes += caught.dataBytes;
        nominalBytes += stream.nominalBytes;
      } finally {
        await stream.close?.();
      }
    }
    await catalogue.add(entry);
  }
  await writer.flush();
  const config: PointConfig = {
    format: 1,
    name: what.name,
    capturedAt: what.capturedAt,
    kind: source.kind,
    scale: source.scale,
    catalogue: await catalogue.finish(),
    nominalBytes,
    dataBytes,
    changedBytes,
    skipped,
    skippedCount,
    ...(source.machine ? { machine: source.machine } : {}),
  };
  const publication = await publishPoint(vault, config);
  if (publication.id !== pointIdOf(config)) throw new Error("a point's id must be the digest of its config");
  return { publication, config, totals: writer.totals };
}

async function captureStream(
  vault: Vault,
  writer: ChunkWriter,
  stream: BlockStream,
  scale: Scale,
  streamKey: string,
  port: SlicePort,
): Promise<{ map: StreamMap; dataBytes: number; changedBytes: number }> {
  const blocks = Math.ceil(stream.nominalBytes / scale.nominalBlock);
  const lengthOf = (block: number): number => Math.min(scale.nominalBlock, stream.nominalBytes - block * scale.nominalBlock);
  const pages = new BlockMapWriter((page) => vault.putBlob(page));
  const getPage: PageSource = (digest) => vault.page(digest);
  const earlier = new EarlierLeaves(stream.since?.map, getPage);
  const changed = stream.since?.changed;
  const toMove = (changed?.length ?? blocks) * scale.nominalBlock;
  const perSlice = isOneToOne(scale) ? REAL_BLOCKS_PER_SLICE : Math.max(1, Math.floor(sliceBytes(toMove, port.leastSliceBytes) / scale.nominalBlock));
  let changedBytes = 0;
  let dataBytes = 0;
  let changedAt = 0;
  let gathered: BlockEntry[] = [];
  let toRead: { at: number; block: number }[] = [];
  let slices = 0;

  const flush = async (): Promise<void> => {
    const entries = gathered;
    const reading = toRead;
    gathered = [];
    toRead = [];
    if (reading.length > 0) {
      const nominal = reading.reduce((sum, { block }) => sum + lengthOf(block), 0);
      changedBytes += nominal;
      await port.slice(`${streamKey}/${slices++}`, nominal, async () => {
        await inParallel(reading, BLOCKS_AT_ONCE, async ({ at, block }) => {
          const real = await stream.read(block);
          entries[at]!.digest = isZero(real) ? null : await writer.add(real, lengthOf(block));
        });
        // A paced slice must be durable before it is acknowledged; an unpaced one may share a pack with the next.
        if (!isOneToOne(scale)) await writer.flush();
      });
    }
    for (const entry of entries) {
      if (entry.digest) dataBytes += entry.nominalBytes;
      await pages.add(entry);
    }
  };

  for (let first = 0; first < blocks; first += PAGE_ENTRIES) {
    const end = Math.min(blocks, first + PAGE_ENTRIES);
    const leaf = await earlier.next();
    const untouched = changed !== undefined && !((changed[changedAt] ?? Infinity) < end);
    const facts = leaf?.digest && vault.completeLeaves.get(leaf.digest);
    // A leaf that is known to be complete and in which nothing changed is taken over unread.
    if (untouched && leaf?.digest && facts && end - first === PAGE_ENTRIES) {
      await flush();
      await pages.addLeaf(leaf.digest);
      dataBytes += facts.dataBytes;
      continue;
    }
    const before = leaf ? await leaf.entries() : [];
    for (let block = first; block < end; block++) {
      const told = changed?.[changedAt] === block;
      if (told) changedAt++;
      const known = before[block - first]?.digest ?? null;
      // What is no longer counted on in the store is read again, though it has not changed.
      const read = !changed || told || (known !== null && !vault.hasChunk(known));
      if (read) toRead.push({ at: gathered.length, block });
      gathered.push({ digest: read ? null : known, nominalBytes: lengthOf(block) });
      if (toRead.length >= perSlice) await flush();
    }
    if (gathered.length >= GATHERED_ENTRIES) await flush();
  }
  await flush();
  return { map: await pages.finish(), dataBytes, changedBytes };
}

/** The leaves of an earlier map one after the other, read only when asked for. */
class EarlierLeaves {
  private readonly leaves: AsyncGenerator<Digest> | undefined;
  private inline: BlockEntry[] | undefined;

  constructor(
    map: StreamMap | undefined,
    private readonly get: PageSource,
  ) {
    if (map?.kind === "inline") this.inline = map.entries;
    else if (map) this.leaves = leafPages(map, get);
  }

  async next(): Promise<{ digest: Digest | undefined; entries: () => Promise<BlockEntry[]> } | undefined> {
    if (this.inline) {
      const entries = this.inline;
      this.inline = undefined;
      return { digest: undefined, entries: async () => entries };
    }
    const digest = (await this.leaves?.next())?.value as Digest | undefined;
    return digest && { digest, entries: () => readLeaf(digest, this.get) };
  }
}
