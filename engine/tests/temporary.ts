import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll } from "vitest";
import { FolderStore } from "../stores/folder-store.ts";
import { Vault } from "../vault.ts";

const made: string[] = [];
afterAll(async () => {
  for (const path of made.splice(0)) await rm(path, { recursive: true, force: true });
});

/** A folder that is gone after the test file. */
export async function temporaryFolder(): Promise<string> {
  const path = await mkdtemp(join(tmpdir(), "ypo-"));
  made.push(path);
  return path;
}

export async function temporaryVault(id = "store"): Promise<{ vault: Vault; path: string; reopen: () => Promise<Vault> }> {
  const path = await temporaryFolder();
  const reopen = (): Promise<Vault> => Vault.open(new FolderStore(id, path));
  return { vault: await Vault.create(new FolderStore(id, path)), path, reopen };
}

/** Repeatable bytes that do not compress (xorshift32). */
export function noise(length: number, seed: number): Buffer {
  const out = Buffer.alloc(length);
  let x = seed | 1;
  for (let i = 0; i < length; i++) {
    x ^= x << 13;
    x ^= x >>> 17;
    x ^= x << 5;
    out[i] = x & 255;
  }
  return out;
}

export async function collect<T>(items: AsyncIterable<T>): Promise<T[]> {
  const all: T[] = [];
  for await (const item of items) all.push(item);
  return all;
}
