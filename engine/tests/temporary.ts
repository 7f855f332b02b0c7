import { mkdtemp } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { FolderStore } from "../stores/folder-store.ts";
import { Vault } from "../vault.ts";
import { TEST_FOLDER } from "./test-folder.ts";

/** A folder that is gone after the tests. */
export const temporaryFolder = (): Promise<string> => mkdtemp(join(process.env[TEST_FOLDER] ?? tmpdir(), "ypo-"));

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
