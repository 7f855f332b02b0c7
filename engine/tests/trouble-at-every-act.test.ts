import { describe, expect, it } from "vitest";
import { capture } from "../capture.ts";
import { readRecords, readTrailer } from "../chunks/pack.ts";
import { EngineError } from "../errors.ts";
import type { StreamMap } from "../points/block-map.ts";
import { readCatalogue } from "../points/catalogue.ts";
import { readConfig } from "../points/point.ts";
import type { PointId } from "../points/publication.ts";
import { replicate } from "../replicate.ts";
import { unpaced } from "../slices.ts";
import type { Source } from "../sources/source.ts";
import { Vault } from "../vault.ts";
import { verify } from "../verify.ts";
import { storeConformance } from "../stores/tests/conformance.ts";
import { MemoryStore, type Moment } from "./memory-store.ts";
import { noise } from "./temporary.ts";

storeConformance("memory", async () => ({
  store: new MemoryStore("memory"),
  unreachable: new MemoryStore("away", new Map(), () => {
    throw new EngineError("unreachable", "it is away");
  }),
}));

const SCALE = { nominalBlock: 1024 * 1024, realBlock: 256 };
const BLOCKS = 280;
/** Blocks of the second hour that differ from the first; the last ones repeat what stands elsewhere. */
const CHANGED = [3, 4, 255, 256, 260, 275];

/** What stands in a block at an hour: equal here and there, a hole at 9. */
function block(at: number, hour: number): Buffer {
  if (at === 9) return Buffer.alloc(SCALE.realBlock);
  const changed = hour > 0 && CHANGED.includes(at);
  const content = changed ? (at > 270 ? 0 : 10_000 + at) : at % 50 === 0 ? 0 : at;
  // Odd seeds differ from each other.
  return noise(SCALE.realBlock, content * 2 + 1);
}

const disk = (hour: number, before: StreamMap | undefined): Source => ({
  kind: "machine",
  scale: SCALE,
  async *entries() {
    const changed = before ? CHANGED : Array.from({ length: BLOCKS }, (_, i) => i);
    yield {
      kind: "entry",
      entry: { path: Buffer.from("disk"), type: "disk", bytes: BLOCKS * SCALE.nominalBlock },
      stream: { nominalBytes: BLOCKS * SCALE.nominalBlock, since: { map: before, changed }, read: async (at) => block(at, hour) },
    };
  },
});

async function mapOf(vault: Vault, id: PointId): Promise<StreamMap | undefined> {
  const { catalogue } = await readConfig(vault, id);
  for await (const entry of readCatalogue(catalogue, (digest) => vault.getBlob(digest))) return entry.map;
  return undefined;
}

/** Two hours of one disk, captured into one store and carried to another; everything a process knows is opened anew. */
async function twoHours(stores: () => { near: MemoryStore; far: MemoryStore }): Promise<PointId[]> {
  const [near, far] = [await Vault.create(stores().near), await Vault.create(stores().far)];
  const first = await capture(near, disk(0, undefined), { name: "m", capturedAt: 1_000 }, unpaced());
  await replicate(near, far, first.publication.id, unpaced());
  const second = await capture(near, disk(1, await mapOf(near, first.publication.id)), { name: "m", capturedAt: 2_000 }, unpaced());
  await replicate(near, far, second.publication.id, unpaced());
  return [first.publication.id, second.publication.id];
}

/** Chunks in the packs of a store, and how many of them are different ones. */
function chunks({ blobs }: MemoryStore): { all: number; distinct: number } {
  const digests = [...blobs].flatMap(([name, bytes]) => {
    const trailer = name.startsWith("blobs/") ? readTrailer(bytes) : undefined;
    return trailer ? readRecords(trailer, bytes.subarray(trailer.indexOffset)).records.map((r) => r.digest) : [];
  });
  return { all: digests.length, distinct: new Set(digests).size };
}

const contents = async (store: MemoryStore): Promise<string[]> => {
  const { damaged, points } = await verify(await Vault.open(new MemoryStore(store.id, store.blobs)));
  expect(damaged).toEqual([]);
  expect(points.flatMap((p) => p.faults)).toEqual([]);
  return points.map((p) => p.publication.id).sort();
};

describe("a store that fails once, at any one of its acts", () => {
  it("never shows a point that is not whole; done again, everything is there, once", async () => {
    const calm: Moment[] = [];
    const quiet = { near: new MemoryStore("near", new Map(), (m) => calm.push(m)), far: new MemoryStore("far", new Map(), (m) => calm.push(m)) };
    const ids = await twoHours(() => quiet);
    // 280 blocks: a hole, every fiftieth the same; the second hour brings five new ones, for one repeats what there was.
    const expected = 280 - 1 - 5 + 5;
    expect(chunks(quiet.near)).toEqual({ all: expected, distinct: expected });
    expect(calm.length).toBeGreaterThan(60);
    let failures = 0;
    for (let at = 0; at < calm.length; at++) {
      const blobs = { near: new Map<string, Buffer>(), far: new Map<string, Buffer>() };
      let act = 0;
      const trouble = (): void => {
        if (act++ === at) throw new EngineError("unreachable", "the line is cut here");
      };
      const open = (): { near: MemoryStore; far: MemoryStore } => ({ near: new MemoryStore("near", blobs.near, trouble), far: new MemoryStore("far", blobs.far, trouble) });
      const cut = open();
      const outcome = await twoHours(() => cut).catch((error: unknown) => error);
      if (outcome instanceof Error) {
        failures++;
        expect(outcome).toMatchObject({ kind: "unreachable" });
        const after = open();
        for (const store of [after.near, after.far]) if (store.blobs.has("oci-layout")) for (const id of await contents(store)) expect(ids).toContain(id);
        const again = open();
        expect(await twoHours(() => again)).toEqual(ids);
      }
      const { near, far } = open();
      for (const store of [near, far]) {
        expect(await contents(store), `after act ${at}`).toEqual([...ids].sort());
        expect(chunks(store), `after act ${at}`).toEqual({ all: expected, distinct: expected });
      }
    }
    // All but a few, whose failing is nobody's loss, were met.
    expect(failures).toBeGreaterThan(calm.length * 0.9);
  });
});
