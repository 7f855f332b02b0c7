import { type Digest } from "./digest.ts";
import { EngineError } from "./errors.ts";
import { inParallel } from "./parallel.ts";
import { listPoints, pointChunks, pointPages, readConfig } from "./points/point.ts";
import type { PageSource } from "./points/block-map.ts";
import type { PointConfig, Publication } from "./points/publication.ts";
import { blobName, type Vault } from "./vault.ts";

export type VerifyResult = {
  blobs: number;
  bytes: number;
  damaged: { blob: Digest; reason: string }[];
  /** Every published point, with what is wrong with it where something is. */
  points: { publication: Publication; faults: string[] }[];
};

/** Reads every blob of a store and compares it with its name; then walks every point down to its chunks. */
export async function verify(vault: Vault, progress: (bytes: number) => void = () => undefined): Promise<VerifyResult> {
  await vault.load();
  const result: VerifyResult = { blobs: 0, bytes: 0, damaged: [], points: [] };
  const names: Digest[] = [];
  for await (const { name } of vault.store.list("blobs/sha256/")) names.push(name.slice("blobs/sha256/".length) as Digest);
  await inParallel(names, 2, async (digest) => {
    try {
      const bytes = await vault.getBlob(digest);
      result.bytes += bytes.length;
      progress(bytes.length);
    } catch (error) {
      if (!(error instanceof EngineError) || (error.kind !== "damaged" && error.kind !== "missing")) throw error;
      result.damaged.push({ blob: digest, reason: error.message });
    }
    result.blobs++;
  });
  await vault.doubtAllBut(new Set(names));
  const bad = new Set(result.damaged.map((d) => d.blob));
  const checked: Checked = { bad, whole: new Set(names.filter((name) => !bad.has(name))), soundLeaves: new Set() };
  for (const publication of await listPoints(vault)) result.points.push({ publication, faults: await faultsOf(vault, publication, checked) });
  return result;
}

/** What this verification has found out so far; points share most of their pages. */
type Checked = {
  bad: ReadonlySet<Digest>;
  whole: Set<Digest>;
  /** Leaves all of whose chunks lie in whole packs. */
  soundLeaves: Set<Digest>;
};

async function faultsOf(vault: Vault, publication: Publication, { bad, whole, soundLeaves }: Checked): Promise<string[]> {
  const faults: string[] = [];
  const inBad = new Map<Digest, number>();
  const inOthers = new Map<Digest, number>();
  // What was put since the store was listed is taken for whole; what has gone since is not there.
  const isThere = async (blob: Digest): Promise<boolean> => {
    if (!whole.has(blob) && (await vault.store.size(blobName(blob))) !== undefined) whole.add(blob);
    return whole.has(blob);
  };
  let absent = 0;
  try {
    const manifest = publication.manifest.digest;
    if (bad.has(manifest)) faults.push(`its manifest ${manifest.slice(0, 12)} is damaged`);
    else if (!(await isThere(manifest))) faults.push(`its manifest ${manifest.slice(0, 12)} is not in the store`);
    const config = await readConfig(vault, publication.id);
    // A page that was just read and found whole may come from memory.
    const get = (digest: Digest): Promise<Buffer> => (whole.has(digest) ? vault.page(digest) : vault.getBlob(digest));
    for await (const { digest } of pointPages(config, get)) await get(digest);
    let leaf: Digest | undefined;
    for await (const row of pointChunks(config, get, (next) => soundLeaves.has((leaf = next)))) {
      let sound = true;
      for (const { digest } of row) {
        const pack = vault.chunkPlace(digest)?.packDigest;
        if (pack && whole.has(pack)) continue;
        sound = false;
        const count = pack && bad.has(pack) ? inBad : inOthers;
        if (pack) count.set(pack, (count.get(pack) ?? 0) + 1);
        else absent++;
      }
      if (sound && leaf) soundLeaves.add(leaf);
      leaf = undefined;
    }
    for (const [pack, chunks] of inOthers) if (!(await isThere(pack))) absent += chunks;
  } catch (error) {
    if (!(error instanceof EngineError)) throw error;
    faults.push(error.message);
  }
  if (absent) faults.push(`${absent} of its chunks are not in the store`);
  for (const [pack, chunks] of inBad) faults.push(`${chunks} of its chunks lie in the damaged blob ${pack.slice(0, 12)}`);
  return faults;
}

/**
 * Reads every chunk of one point in one store, so that all of what is not whole there is known and
 * the next leg sends it again; gives how many chunks are not. Pages may come from another store.
 */
export async function examine(vault: Vault, config: PointConfig, getPage: PageSource): Promise<number> {
  let faulty = 0;
  for await (const row of pointChunks(config, getPage))
    await vault.readChunks(
      row.map(({ digest }) => digest),
      config.scale,
      (_, chunk) => {
        if (chunk instanceof EngineError) faulty++;
      },
    );
  return faulty;
}
