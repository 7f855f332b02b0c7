import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { ChunkTable } from "../chunks/chunk-table.ts";
import { decodeChunk, encodeChunk, sampledEntropy } from "../chunks/codec.ts";
import { encodePack, readRecords, readTrailer } from "../chunks/pack.ts";
import { ONE_TO_ONE } from "../chunks/scale.ts";
import { type Digest, sha256 } from "../digest.ts";
import { type BlockEntry, BlockMapWriter, mapPages, readBlockMap } from "../points/block-map.ts";
import { CatalogueWriter, comparePaths, readCatalogue } from "../points/catalogue.ts";
import { collect, noise } from "./temporary.ts";

function pageStore() {
  const pages = new Map<Digest, Buffer>();
  return {
    pages,
    put: async (page: Buffer): Promise<Digest> => {
      const digest = sha256(page);
      pages.set(digest, page);
      return digest;
    },
    get: async (digest: Digest): Promise<Buffer> => pages.get(digest)!,
  };
}

const writeMap = async (entries: BlockEntry[], store = pageStore()) => {
  const writer = new BlockMapWriter(store.put);
  for (const entry of entries) await writer.add(entry);
  return { map: await writer.finish(), store };
};

describe("block maps", () => {
  it("give back any row of blocks and holes", async () => {
    const entry = fc.record({ digest: fc.option(fc.integer().map((n) => sha256(String(n)))), nominalBytes: fc.integer({ min: 1, max: 2 ** 26 }) });
    await fc.assert(
      fc.asyncProperty(fc.array(entry, { maxLength: 1_200, size: "max" }), async (entries) => {
        const { map, store } = await writeMap(entries);
        expect(await collect(readBlockMap(map, store.get))).toEqual(entries);
      }),
      { numRuns: 40 },
    );
  });

  it("share the pages of what did not change, also across three levels", async () => {
    const entries: BlockEntry[] = Array.from({ length: 256 * 256 + 300 }, (_, i) => ({ digest: sha256(String(i)), nominalBytes: 64 }));
    const before = await writeMap(entries);
    expect(before.map).toMatchObject({ kind: "tree", height: 2 });
    expect((await collect(readBlockMap(before.map, before.store.get))).length).toBe(entries.length);
    entries[70] = { digest: sha256("changed"), nominalBytes: 64 };
    const size = before.store.pages.size;
    const after = await writeMap(entries, before.store);
    // One leaf and the two pages above it are new.
    expect(before.store.pages.size).toBe(size + 3);
    expect((await collect(mapPages(after.map, after.store.get))).length).toBe(258 + 2 + 1);
  });
});

describe("packs and chunks", () => {
  it("come back as they were, found by their trailer", async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(fc.uint8Array({ minLength: 1, maxLength: 9_000 }), { maxLength: 20 }), async (blocks) => {
        const chunks = await Promise.all(
          blocks.map(async (bytes) => ({ digest: sha256(bytes), realBytes: bytes.length, nominalBytes: bytes.length, ...(await encodeChunk(bytes)) })),
        );
        const pack = encodePack(ONE_TO_ONE, chunks);
        const trailer = readTrailer(pack.subarray(-30))!;
        const index = readRecords(trailer, pack.subarray(trailer.indexOffset));
        expect(index.records.length).toBe(blocks.length);
        for (const [i, r] of index.records.entries()) {
          const real = await decodeChunk(r.codec, pack.subarray(r.offset, r.offset + r.storedBytes), r.realBytes);
          expect(real.equals(blocks[i]!)).toBe(true);
        }
      }),
      { numRuns: 60 },
    );
  });

  it("refuse lengths that do not add up", () => {
    const pack = encodePack(ONE_TO_ONE, [{ digest: sha256("a"), stored: Buffer.from("abc"), realBytes: 3, nominalBytes: 3, codec: "raw" }]);
    const trailer = readTrailer(pack)!;
    const records = Buffer.from(pack.subarray(trailer.indexOffset));
    records.writeUInt32LE(9, 32);
    expect(() => readRecords(trailer, records)).toThrow(/add up/);
    expect(readTrailer(Buffer.from("not a pack at all, but long enough"))).toBeUndefined();
  });

  it("tell what compresses from what does not", async () => {
    expect(sampledEntropy(noise(262_144, 7))).toBeGreaterThan(7.5);
    expect((await encodeChunk(noise(262_144, 7))).codec).toBe("raw");
    expect((await encodeChunk(Buffer.alloc(262_144, "sailing day "))).codec).toBe("brotli");
  });

  it("are found in a table that behaves like a map", () => {
    const table = new ChunkTable();
    const digests = Array.from({ length: 5_000 }, (_, i) => sha256(String(i)));
    digests.forEach((digest, i) => table.add(digest, { pack: i % 7, offset: i * 3, storedBytes: i, realBytes: i + 1, nominalBytes: 2 ** 31 + i, codec: i % 2 ? "raw" : "brotli" }));
    table.add(digests[4]!, { pack: 99, offset: 0, storedBytes: 0, realBytes: 0, nominalBytes: 0, codec: "raw" });
    expect(table.size).toBe(5_000);
    digests.forEach((digest, i) => expect(table.get(digest)).toEqual({ pack: i % 7, offset: i * 3, storedBytes: i, realBytes: i + 1, nominalBytes: 2 ** 31 + i, codec: i % 2 ? "raw" : "brotli" }));
    expect(table.get(sha256("none"))).toBeUndefined();
  });
});

describe("catalogues", () => {
  it("keep names of any bytes, in an order where folders come before what they hold", async () => {
    const part = fc.uint8Array({ minLength: 1, maxLength: 6 }).map((b) => Buffer.from(b.map((x) => (x === 0 || x === 0x2f ? 1 : x)))).filter((b) => !b.equals(Buffer.from(".")) && !b.equals(Buffer.from("..")));
    const path = fc.array(part, { minLength: 1, maxLength: 4 }).map((parts) => Buffer.from(parts.map((p) => p.toString("latin1")).join("/"), "latin1"));
    await fc.assert(
      fc.asyncProperty(fc.uniqueArray(path, { selector: (p) => p.toString("latin1"), maxLength: 40 }), async (paths) => {
        const sorted = [...paths].sort(comparePaths);
        const store = pageStore();
        const writer = new CatalogueWriter(store.put);
        for (const p of sorted) await writer.add({ path: p, type: "file", mode: 0o640, mtimeMicros: -1_234_567, bytes: 0 });
        const read = await collect(readCatalogue(await writer.finish(), store.get));
        expect(read.map((e) => e.path.toString("latin1"))).toEqual(sorted.map((p) => p.toString("latin1")));
        for (const p of sorted) {
          const parent = sorted.findIndex((q) => p.toString("latin1").startsWith(`${q.toString("latin1")}/`));
          if (parent >= 0) expect(parent).toBeLessThan(sorted.indexOf(p));
        }
      }),
      { numRuns: 60 },
    );
  });

  it.each(['{"path":"../x","type":"file"}', '{"path":"/etc/x","type":"file"}', '{"path":"a","type":"hardlink","target":"../../x"}', '{"path":"a","type":"device"}', "nonsense"])(
    "refuse %s",
    async (line) => {
      const store = pageStore();
      const page = await store.put(Buffer.from(`${line}\n`));
      await expect(collect(readCatalogue({ pages: [page], entries: 1 }, store.get))).rejects.toMatchObject({ kind: "damaged" });
    },
  );
});
