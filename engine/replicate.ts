import { ChunkWriter, type WriterTotals } from "./chunks/chunk-writer.ts";
import { isOneToOne } from "./chunks/scale.ts";
import type { Digest } from "./digest.ts";
import { EngineError } from "./errors.ts";
import { encodeConfig, isPublished, pointChunks, pointPages, publishPoint, readConfig } from "./points/point.ts";
import type { PointConfig, PointId, Publication } from "./points/publication.ts";
import { sliceBytes, type SlicePort } from "./slices.ts";
import type { PageSource } from "./points/block-map.ts";
import { inParallel } from "./parallel.ts";
import { ChunkReader } from "./reading.ts";
import type { Vault } from "./vault.ts";

export type ReplicateResult = { publication: Publication; config: PointConfig; totals: WriterTotals; alreadyThere: boolean };

const PAGES_AT_ONCE = 8;
/** With real 256 KiB chunks a slice is 32 MiB: seconds on a slow line. */
const REAL_CHUNKS_PER_SLICE = 128;

/**
 * Copies one point from a store to another: pages and those chunks the other store has not,
 * slice by slice, each read chunk checked against its digest. Taken up again after an
 * interruption, it finds what has arrived and goes on behind it.
 *
 * `expectedBytes` is what `missingBytes` said, where the caller asked before.
 *
 * Throws `damaged` or `missing` naming store and blob where the source cannot give a chunk whole.
 */
export async function replicate(from: Vault, to: Vault, id: PointId, port: SlicePort, expectedBytes?: number): Promise<ReplicateResult> {
  await from.load();
  await to.load();
  const config = await readConfig(from, id);
  const reader = new ChunkReader([from], config.scale);
  const writer = new ChunkWriter(to, config.scale);
  const getPage: PageSource = (digest) => from.page(digest);

  // What describes the point goes beside its chunks; awaited before anything names it.
  const described = Promise.all([
    to.putBlob(encodeConfig(config), id),
    inParallel(pointPages(config, getPage), PAGES_AT_ONCE, async ({ digest }) => {
      if (!to.hasBlob(digest)) await to.putBlob(await getPage(digest), digest);
    }),
  ]);
  described.catch(() => undefined);

  let wanted = new Map<Digest, number>();
  const send = async (): Promise<void> => {
    if (wanted.size === 0) return;
    const sending = wanted;
    wanted = new Map();
    const nominal = [...sending.values()].reduce((a, b) => a + b, 0);
    await port.slice(`chunks/${firstOf(sending)}`, nominal, async () => {
      await reader.read([...sending.keys()], async (digest, chunk) => {
        await writer.addRead(digest, chunk, sending.get(digest)!);
      });
      await writer.flush();
    });
  };
  const mostBytes = isOneToOne(config.scale) ? REAL_CHUNKS_PER_SLICE * config.scale.nominalBlock : sliceBytes(expectedBytes ?? (await missingBytes(from, to, id)), port.leastSliceBytes);
  let gatheredBytes = 0;
  // Already sent chunks are skipped here, so a slice is named by the first chunk it carries: the
  // same name never stands for another set of chunks when the leg is taken up again.
  for await (const chunks of pointChunks(config, getPage, (leaf) => to.completeLeaves.has(leaf)))
    for (const { digest, nominalBytes } of chunks) {
      if (to.hasChunk(digest) || wanted.has(digest)) continue;
      wanted.set(digest, nominalBytes);
      gatheredBytes += nominalBytes;
      if (gatheredBytes >= mostBytes) {
        await send();
        gatheredBytes = 0;
      }
    }
  await send();
  await described;
  const alreadyThere = writer.totals.chunksSent === 0 && (await isPublished(to, id));
  const publication = await publishPoint(to, config);
  if (publication.id !== id) throw new EngineError("damaged", `Point ${id.slice(0, 12)} changed while it was copied`);
  return { publication, config, totals: writer.totals, alreadyThere };
}

/** Nominal bytes that copying would send now. */
export async function missingBytes(from: Vault, to: Vault, id: PointId): Promise<number> {
  await from.load();
  await to.load();
  const config = await readConfig(from, id);
  const counted = new Set<Digest>();
  let sum = 0;
  const chunks = pointChunks(config, (digest) => from.page(digest), (leaf) => to.completeLeaves.has(leaf));
  for await (const row of chunks)
    for (const { digest, nominalBytes } of row) {
      if (to.hasChunk(digest) || counted.has(digest)) continue;
      counted.add(digest);
      sum += nominalBytes;
    }
  return sum;
}

const firstOf = (map: Map<Digest, number>): string => map.keys().next().value!.slice(0, 16);
