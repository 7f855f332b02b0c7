import { appendFile, mkdir, readFile, stat, truncate, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { capture } from "../capture.ts";
import { FileIndexMemory } from "../index-memory.ts";
import { unpaced } from "../slices.ts";
import { TreeSource } from "../sources/tree-source.ts";
import { Vault } from "../vault.ts";
import { MemoryStore, type Moment } from "./memory-store.ts";
import { noise, temporaryFolder } from "./temporary.ts";

/** A store with some points, and what its first process remembers of it. */
async function stocked() {
  const folder = await temporaryFolder();
  const tree = join(folder, "tree");
  await mkdir(tree);
  const moments: Moment[] = [];
  const store = new MemoryStore("s", new Map(), (m) => void moments.push(m));
  const path = join(folder, "known");
  const vault = await Vault.create(store, new FileIndexMemory(path));
  for (const [i, name] of ["a", "b", "c"].entries()) {
    await writeFile(join(tree, name), noise(300_000 + i, i + 1));
    await capture(vault, await TreeSource.at(tree), { name: "tree", capturedAt: 1_000 * (i + 1) }, unpaced());
  }
  await vault.remember();
  return { store, moments, path, vault };
}

/** What a process that opens the store now knows, and which blobs it had to read for it. */
async function opened({ store, moments, path }: Awaited<ReturnType<typeof stocked>>, remembering = true) {
  moments.length = 0;
  const vault = await Vault.open(store, remembering ? new FileIndexMemory(path) : undefined);
  await vault.load();
  const blobs = [...store.blobs.keys()].filter((name) => name.startsWith("blobs/")).map((name) => name.slice("blobs/sha256/".length) as Parameters<Vault["hasBlob"]>[0]);
  const knows = { stored: vault.nominalStored, blobs: blobs.map((b) => [vault.blobBytes(b), vault.isPack(b)]) };
  return { vault, knows, read: moments.filter((m) => m.act === "get" && m.name.startsWith("blobs/")).length };
}

describe("what is remembered of a store", () => {
  it("spares reading its blobs again, and is the same as if they had been read", async () => {
    const place = await stocked();
    const without = await opened(place, false);
    const remembered = await opened(place);
    expect(without.read).toBeGreaterThan(8);
    expect(remembered.read).toBe(0);
    expect(remembered.knows).toEqual(without.knows);
    expect(remembered.knows.blobs.filter(([, isPack]) => isPack).length).toBeGreaterThan(1);
  });

  it("may be cut anywhere by a kill, hold nonsense or be gone: what it lacks is read, and remembered from then on", async () => {
    const place = await stocked();
    const { knows } = await opened(place, false);
    const whole = (await stat(place.path)).size;
    const text = await readFile(place.path);
    for (let cut = 0; cut < whole; cut += Math.ceil(whole / 40)) {
      await writeFile(place.path, text);
      await truncate(place.path, cut);
      const after = await opened(place);
      expect(after.knows, String(cut)).toEqual(knows);
      await after.vault.remember();
      expect((await opened(place)).read, String(cut)).toBe(0);
    }
    await appendFile(place.path, "nonsense\n00 11 .\n");
    expect((await opened(place)).knows).toEqual(knows);
    // An index that cannot be read is none; the store's own is the truth.
    await writeFile(place.path, text.toString("latin1").replaceAll(/ [A-Za-z0-9+/=]{40,} \./g, " AAAA ."));
    expect((await opened(place)).knows).toEqual(knows);
  });

  it("forgets nothing that another process has put meanwhile", async () => {
    const place = await stocked();
    const folder = await temporaryFolder();
    await writeFile(join(folder, "d"), noise(200_000, 9));
    await capture(await Vault.open(place.store), await TreeSource.at(folder), { name: "other", capturedAt: 9_000 }, unpaced());
    const after = await opened(place);
    expect(after.read).toBeGreaterThan(0);
    expect(after.knows).toEqual((await opened(place, false)).knows);
  });
});
