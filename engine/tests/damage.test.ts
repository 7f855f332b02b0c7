import { describe, expect, it } from "vitest";
import { bringBackStream } from "../bring-back.ts";
import { capture } from "../capture.ts";
import type { Digest } from "../digest.ts";
import { isEngineError } from "../errors.ts";
import type { StreamMap } from "../points/block-map.ts";
import { readCatalogue } from "../points/catalogue.ts";
import { listPoints, readConfig, streamMaps } from "../points/point.ts";
import type { PointId, Publication } from "../points/publication.ts";
import { replicate } from "../replicate.ts";
import { unpaced } from "../slices.ts";
import type { Source } from "../sources/source.ts";
import { blobName, Vault } from "../vault.ts";
import { verify } from "../verify.ts";
import { MemoryStore } from "./memory-store.ts";
import { noise } from "./temporary.ts";

const SCALE = { nominalBlock: 1024 * 1024, realBlock: 256 };
const BLOCKS = 700;
const HOURS = 4;
/** Repeatable ways to do harm. */
const SEEDS = 16;

/** Repeatable choices between 0 and 1. */
function chances(seed: number): () => number {
  let x = (seed * 2_654_435_761) | 1;
  return () => {
    x ^= x << 13;
    x ^= x >>> 17;
    x ^= x << 5;
    return (x >>> 0) / 2 ** 32;
  };
}

/** A disk of three leaves of which each hour changes a few blocks. */
const disk = (hour: number, before: StreamMap | undefined): Source => ({
  kind: "machine",
  scale: SCALE,
  async *entries() {
    const writtenAt = (at: number): number => (at % 97 === 0 ? hour : at > 600 ? Math.min(hour, at % HOURS) : 0);
    const changed = Array.from({ length: BLOCKS }, (_, i) => i).filter((at) => !before || writtenAt(at) === hour);
    yield { kind: "entry", entry: { path: Buffer.from("disk"), type: "disk", bytes: BLOCKS * SCALE.nominalBlock }, stream: { nominalBytes: BLOCKS * SCALE.nominalBlock, since: { map: before, changed }, read: async (at) => noise(SCALE.realBlock, (writtenAt(at) * BLOCKS + at) * 2 + 1) } };
  },
});

/** Read from the store itself; throws where something is damaged. */
async function mapOf(vault: Vault, id: PointId): Promise<StreamMap> {
  for await (const entry of readCatalogue((await readConfig(vault, id)).catalogue, (digest) => vault.getBlob(digest))) return entry.map!;
  throw new Error("no disk");
}

/** Four hours of one disk in one store, and the vault that wrote them. */
async function fourHours(): Promise<{ store: MemoryStore; vault: Vault }> {
  const store = new MemoryStore("one");
  const vault = await Vault.create(store);
  let map: StreamMap | undefined;
  for (let hour = 0; hour < HOURS; hour++) {
    const { publication } = await capture(vault, disk(hour, map), { name: "disk", capturedAt: hour * 3_600_000 }, unpaced());
    map = await mapOf(vault, publication.id);
  }
  return { store, vault };
}

/** Whether a process that knows nothing but the store can bring every block of a point back. */
async function comesBack(store: MemoryStore, { id }: Publication): Promise<boolean> {
  try {
    const vault = await Vault.open(store);
    await vault.load();
    await bringBackStream([vault], { map: await mapOf(vault, id), scale: SCALE, key: "disk", bytes: BLOCKS * SCALE.nominalBlock }, { write: async () => undefined }, unpaced());
    return true;
  } catch (error) {
    if (!isEngineError(error, "damaged") && !isEngineError(error, "missing")) throw error;
    return false;
  }
}

const blobsOf = (store: MemoryStore): string[] => [...store.blobs.keys()].filter((name) => name.startsWith("blobs/")).sort();

/** Flips a bit in some blobs and takes others away. */
function harm(store: MemoryStore, chance: () => number): void {
  for (const name of blobsOf(store)) {
    const lot = chance();
    if (lot < 0.05) store.blobs.delete(name);
    else if (lot < 0.12) {
      const bytes = Buffer.from(store.blobs.get(name)!);
      bytes[Math.floor(chance() * bytes.length)]! ^= 1 << Math.floor(chance() * 8);
      store.blobs.set(name, bytes);
    }
  }
}

describe("a store of which something was found damaged or gone", () => {
  it("has it sent again by the next capture, in the process that found it and in later ones", async () => {
    let mended = 0;
    for (let seed = 1; seed <= SEEDS; seed++) {
      const { store, vault } = await fourHours();
      harm(store, chances(seed + 200));
      const [newest] = await listPoints(vault);
      const found = await verify(vault);
      const hurt = found.points.some((p) => p.publication.id === newest!.id && p.faults.length > 0);
      const writer = seed % 2 ? vault : await Vault.open(store);
      await writer.load();
      const { publication, config, totals } = await capture(writer, disk(HOURS, (await streamMaps(writer, newest!.id)).get("disk")), { name: "disk", capturedAt: HOURS * 3_600_000 }, unpaced());
      expect(await comesBack(store, publication), `seed ${seed}`).toBe(true);
      expect((await verify(await Vault.open(store))).points.find((p) => p.publication.id === publication.id)!.faults, `seed ${seed}`).toEqual([]);
      expect(config.dataBytes).toBe(BLOCKS * SCALE.nominalBlock);
      // Where nothing of it was hurt, only what changed was sent.
      if (!hurt) expect(totals.chunksSent).toBeLessThan(BLOCKS / 20);
      else mended++;
    }
    expect(mended).toBeGreaterThan(5);
  });

  it("has it sent again by the next leg from another store; what is whole is not sent twice", async () => {
    let mended = 0;
    for (let seed = 1; seed <= SEEDS; seed++) {
      const { vault: near } = await fourHours();
      const points = await listPoints(near);
      const far = new MemoryStore("far");
      const first = await Vault.create(far);
      for (const { id } of [...points].reverse()) await replicate(near, first, id, unpaced());
      harm(far, chances(seed + 300));
      const chunksBefore = blobsOf(far).length;
      const broken = (await verify(first)).points.filter((p) => p.faults.length > 0).length;
      const writer = seed % 2 ? first : await Vault.open(far);
      let sent = 0;
      for (const { id } of points) sent += (await replicate(near, writer, id, unpaced())).totals.chunksSent;
      for (const point of points) expect(await comesBack(far, point), `seed ${seed}`).toBe(true);
      expect((await verify(await Vault.open(far))).points.map((p) => p.faults)).toEqual(points.map(() => []));
      if (broken > 0) mended++;
      else expect(sent, `seed ${seed}: ${chunksBefore} blobs`).toBe(0);
      // A second time there is nothing left to send.
      for (const { id } of points) expect((await replicate(near, await Vault.open(far), id, unpaced())).totals.chunksSent).toBe(0);
    }
    expect(mended).toBeGreaterThan(5);
  });
});

describe("verifying a store", () => {
  it("finds nothing where nothing is wrong, reading each blob once and no page twice", async () => {
    const { store } = await fourHours();
    const reads = new Map<string, number>();
    const counted = new MemoryStore("one", store.blobs, ({ act, name }) => void (act === "get" && reads.set(name, (reads.get(name) ?? 0) + 1)));
    const vault = await Vault.open(counted);
    await vault.load();
    reads.clear();
    const found = await verify(vault);
    expect(found.points.map((p) => p.faults)).toEqual(Array.from({ length: HOURS }, () => []));
    expect(found.damaged).toEqual([]);
    // Once for its digest, once more where it is a page that is walked.
    for (const name of blobsOf(store)) expect(reads.get(name)).toBeLessThanOrEqual(2);
  });

  it("names just the points that cannot come back where blobs have gone, in the process that wrote them and in another", async () => {
    let broken = 0;
    let sound = 0;
    for (let seed = 1; seed <= SEEDS; seed++) {
      const { store, vault } = await fourHours();
      const chance = chances(seed);
      const points = await listPoints(vault);
      const gone = new Set(blobsOf(store).filter(() => chance() < 0.06));
      for (const name of gone) store.blobs.delete(name);
      for (const asked of [vault, await Vault.open(store)]) {
        const found = new Map((await verify(asked)).points.map((p) => [p.publication.id, p.faults]));
        for (const point of points) {
          const whole = (await comesBack(store, point)) && !gone.has(blobName(point.manifest.digest));
          expect(found.get(point.id)!.length === 0, `seed ${seed}: ${found.get(point.id)!.join("; ")}`).toBe(whole);
          whole ? sound++ : broken++;
        }
      }
    }
    // The trial is one: it met both.
    expect(Math.min(sound, broken)).toBeGreaterThan(20);
  });

  it("names every blob with a flipped bit, and calls no point whole that does not come back", async () => {
    let broken = 0;
    for (let seed = 1; seed <= SEEDS; seed++) {
      const { store, vault } = await fourHours();
      const chance = chances(seed + 100);
      const points = await listPoints(vault);
      const flipped = blobsOf(store).filter(() => chance() < 0.05);
      for (const name of flipped) {
        const bytes = Buffer.from(store.blobs.get(name)!);
        const at = Math.floor(chance() * bytes.length);
        bytes[at] = bytes[at]! ^ (1 << Math.floor(chance() * 8));
        store.blobs.set(name, bytes);
      }
      for (const asked of [vault, await Vault.open(store)]) {
        const found = await verify(asked);
        expect(found.damaged.map((d) => blobName(d.blob as Digest)).sort()).toEqual(flipped);
        for (const { publication, faults } of found.points)
          if (!(await comesBack(store, points.find((p) => p.id === publication.id)!))) {
            expect(faults, `seed ${seed}`).not.toEqual([]);
            broken++;
          }
      }
    }
    expect(broken).toBeGreaterThan(20);
  });
});
