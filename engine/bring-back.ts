import { chunkDigest } from "./chunks/chunk.ts";
import { isOneToOne, type Scale } from "./chunks/scale.ts";
import type { Digest } from "./digest.ts";
import { EngineError } from "./errors.ts";
import { type BlockEntry, readBlockMap, type StreamMap } from "./points/block-map.ts";
import { readCatalogue } from "./points/catalogue.ts";
import { readConfig } from "./points/point.ts";
import type { PointConfig, PointId } from "./points/publication.ts";
import { ChunkReader, pageReader, type Substitution } from "./reading.ts";
import { sliceBytes, type SlicePort } from "./slices.ts";
import { TreeTarget } from "./targets/tree-target.ts";
import type { Vault } from "./vault.ts";

/** With real 256 KiB blocks a slice is 16 MiB in memory. */
const REAL_BLOCKS_PER_SLICE = 64;

export type TargetBlock = { block: number; bytes: Buffer };

/** Where the blocks of one stream go. Blocks may come in any order, holes do not come at all. */
export interface StreamTarget {
  write(blocks: readonly TargetBlock[]): Promise<void>;
  /** Reads back what was written, in the order asked for, to be compared with what was captured. */
  read?(blocks: readonly number[]): Promise<Buffer[]>;
}

export type BroughtBack = { nominalBytes: number; blocks: number; compared: number; substitutions: Substitution[] };

/**
 * Brings one stream back: every chunk checked as it is read, and compared again by digest on the
 * target where that can be read back. Several stores may be given, the best first: a chunk
 * damaged in one is taken from the next.
 */
export async function bringBackStream(
  vaults: readonly Vault[],
  stream: { map: StreamMap; scale: Scale; key: string; bytes: number },
  target: StreamTarget,
  port: SlicePort,
): Promise<BroughtBack> {
  const result: BroughtBack = { nominalBytes: 0, blocks: 0, compared: 0, substitutions: [] };
  const note = (s: Substitution): void => void result.substitutions.push(s);
  const reader = new ChunkReader(vaults, stream.scale, note);
  const perSlice = isOneToOne(stream.scale) ? REAL_BLOCKS_PER_SLICE : Math.max(1, Math.floor(sliceBytes(stream.bytes) / stream.scale.nominalBlock));
  let gathered: { block: number; entry: BlockEntry & { digest: Digest } }[] = [];
  let slices = 0;
  const flush = async (): Promise<void> => {
    if (gathered.length === 0) return;
    const blocks = gathered;
    gathered = [];
    const nominal = blocks.reduce((sum, b) => sum + b.entry.nominalBytes, 0);
    await port.slice(`${stream.key}/${slices++}`, nominal, async () => {
      const places = new Map<Digest, number[]>();
      for (const { block, entry } of blocks) places.set(entry.digest, [...(places.get(entry.digest) ?? []), block]);
      const found: (TargetBlock & { digest: Digest })[] = [];
      await reader.read([...places.keys()], (digest, { real }) => {
        for (const block of places.get(digest)!) found.push({ block, bytes: real, digest });
      });
      found.sort((a, b) => a.block - b.block);
      await target.write(found);
      const back = await target.read?.(found.map((f) => f.block));
      for (const [i, bytes] of back?.entries() ?? []) {
        if ((await chunkDigest(bytes, stream.scale)) !== found[i]!.digest)
          throw new EngineError("damaged", `Block ${found[i]!.block} on the target does not read back as it was captured`, { block: found[i]!.block });
        result.compared++;
      }
    });
    result.nominalBytes += nominal;
    result.blocks += blocks.length;
  };
  let block = 0;
  for await (const { digest, nominalBytes } of readBlockMap(stream.map, pageReader(vaults, note))) {
    if (digest) gathered.push({ block, entry: { digest, nominalBytes } });
    block++;
    if (gathered.length >= perSlice) await flush();
  }
  await flush();
  return result;
}

/** Brings a folder or image back into a new or empty folder, as it was. */
export async function bringBackTree(vaults: readonly Vault[], id: PointId, to: string, port: SlicePort): Promise<{ config: PointConfig; entries: number; substitutions: Substitution[] }> {
  for (const vault of vaults) await vault.load();
  const substitutions: Substitution[] = [];
  const getPage = pageReader(vaults, (s) => substitutions.push(s));
  const config = await readConfig({ getBlob: getPage }, id);
  if (config.kind === "machine") throw new EngineError("input", `${config.name} is a machine on a stand-in platform; it is brought back by a runbook, not into a folder`);
  const target = await TreeTarget.at(to);
  let entries = 0;
  for await (const entry of readCatalogue(config.catalogue, getPage)) {
    const sink = await target.make(entry);
    entries++;
    if (sink) {
      try {
        if (!entry.map) continue;
        const write = async (blocks: readonly TargetBlock[]): Promise<void> => {
          for (const { block, bytes } of blocks) await sink.write(block * config.scale.realBlock, bytes);
        };
        const done = await bringBackStream(vaults, { map: entry.map, scale: config.scale, key: entry.path.toString("base64url"), bytes: entry.bytes ?? 0 }, { write }, port);
        substitutions.push(...done.substitutions);
      } finally {
        await sink.close();
      }
    }
  }
  await target.finish();
  return { config, entries, substitutions };
}
