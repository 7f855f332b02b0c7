import { type Digest } from "./digest.ts";
import { EngineError } from "./errors.ts";
import { inParallel } from "./parallel.ts";
import { listPoints, pointChunks, pointPages, readConfig } from "./points/point.ts";
import type { Publication } from "./points/publication.ts";
import type { Vault } from "./vault.ts";

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
  const bad = new Set(result.damaged.map((d) => d.blob));
  for (const publication of await listPoints(vault)) result.points.push({ publication, faults: await faultsOf(vault, publication, bad) });
  return result;
}

async function faultsOf(vault: Vault, publication: Publication, bad: ReadonlySet<Digest>): Promise<string[]> {
  const packs = new Map<Digest, number>();
  const faults: string[] = [];
  try {
    if (bad.has(publication.manifest.digest)) faults.push(`its manifest ${publication.manifest.digest.slice(0, 12)} is damaged`);
    const config = await readConfig(vault, publication.id);
    const get = (digest: Digest): Promise<Buffer> => vault.getBlob(digest);
    for await (const { digest } of pointPages(config, get)) await get(digest);
    let absent = 0;
    for await (const row of pointChunks(config, get))
      for (const { digest } of row) {
        const place = vault.chunkPlace(digest);
        if (!place) absent++;
        else if (bad.has(place.packDigest)) packs.set(place.packDigest, (packs.get(place.packDigest) ?? 0) + 1);
      }
    if (absent) faults.push(`${absent} of its chunks are not in the store`);
  } catch (error) {
    if (!(error instanceof EngineError)) throw error;
    faults.push(error.message);
  }
  for (const [pack, chunks] of packs) faults.push(`${chunks} of its chunks lie in the damaged blob ${pack.slice(0, 12)}`);
  return faults;
}
