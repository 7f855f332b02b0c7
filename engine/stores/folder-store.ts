import { randomBytes } from "node:crypto";
import { renameSync, writeFileSync } from "node:fs";
import { type FileHandle, mkdir, open, readdir, rename, rm, stat, statfs, unlink } from "node:fs/promises";
import { dirname, join } from "node:path";
import { EngineError, fromSystemError } from "../errors.ts";
import { assertBlobName, type ByteRange, type Store } from "./store.ts";

const TEMPORARY = "tmp";
const SMALL_BYTES = 1024 * 1024;

export type FolderStoreOptions = {
  /** `each` syncs every blob before its name appears; `relaxed` leaves that to the operating system. */
  durability?: "each" | "relaxed";
};

/** A folder on a disk or a mounted share. */
export class FolderStore implements Store {
  private readonly made = new Set<string>();

  constructor(
    readonly id: string,
    readonly path: string,
    private readonly options: FolderStoreOptions = {},
  ) {}

  async put(name: string, bytes: Uint8Array): Promise<void> {
    assertBlobName(name);
    const target = join(this.path, name);
    const temporary = join(this.path, TEMPORARY, `${process.pid}-${randomBytes(8).toString("hex")}`);
    try {
      await this.makeFolder(dirname(temporary));
      await this.makeFolder(dirname(target));
      if (!this.syncs && bytes.length <= SMALL_BYTES) {
        // Without syncing, small writes end in memory: the hops to the thread pool would be most of their time.
        writeFileSync(temporary, bytes, { flag: "wx", mode: 0o600 });
        renameSync(temporary, target);
        return;
      }
      const file = await open(temporary, "wx", 0o600);
      try {
        await file.writeFile(bytes);
        if (this.syncs) await file.datasync();
      } finally {
        await file.close();
      }
      await rename(temporary, target);
      if (this.syncs) await syncFolder(dirname(target));
    } catch (error) {
      await rm(temporary, { force: true }).catch(() => undefined);
      throw fromSystemError(error, `Writing to store ${this.id} (${this.path})`);
    }
  }

  async get(name: string, range?: ByteRange): Promise<Buffer> {
    assertBlobName(name);
    let file: FileHandle | undefined;
    try {
      file = await open(join(this.path, name), "r");
      if (!range) return await file.readFile();
      const buffer = Buffer.allocUnsafe(Math.max(0, range.to - range.from));
      let filled = 0;
      while (filled < buffer.length) {
        const { bytesRead } = await file.read(buffer, filled, buffer.length - filled, range.from + filled);
        if (bytesRead === 0) break;
        filled += bytesRead;
      }
      return buffer.subarray(0, filled);
    } catch (error) {
      throw fromSystemError(error, `Reading ${name} from store ${this.id}`);
    } finally {
      await file?.close();
    }
  }

  async size(name: string): Promise<number | undefined> {
    assertBlobName(name);
    try {
      return (await stat(join(this.path, name))).size;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === "ENOENT") return undefined;
      throw fromSystemError(error, `Looking for ${name} in store ${this.id}`);
    }
  }

  async *list(prefix: string): AsyncIterable<{ name: string; bytes: number }> {
    const cut = prefix.lastIndexOf("/");
    const folder = cut < 0 ? "" : prefix.slice(0, cut);
    yield* this.walk(folder, prefix);
  }

  async delete(name: string): Promise<void> {
    assertBlobName(name);
    try {
      await unlink(join(this.path, name));
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "ENOENT") throw fromSystemError(error, `Deleting ${name} in store ${this.id}`);
    }
  }

  private async *walk(folder: string, prefix: string): AsyncIterable<{ name: string; bytes: number }> {
    let entries;
    try {
      entries = await readdir(join(this.path, folder), { withFileTypes: true });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "ENOENT") throw fromSystemError(error, `Listing store ${this.id}`);
      // A store that was reached before is empty here; one whose root is gone is a failure, never "empty".
      if (folder !== "" && (await stat(this.path).catch(() => undefined))) return;
      throw new EngineError("missing", `Store ${this.id} has no folder ${this.path}`);
    }
    for (const entry of entries) {
      const name = folder === "" ? entry.name : `${folder}/${entry.name}`;
      if (entry.isDirectory()) {
        if (name !== TEMPORARY && (name.startsWith(prefix) || prefix.startsWith(`${name}/`))) yield* this.walk(name, prefix);
      } else if (name.startsWith(prefix)) {
        const bytes = (await stat(join(this.path, name)).catch(() => undefined))?.size;
        if (bytes !== undefined) yield { name, bytes };
      }
    }
  }

  async room(): Promise<{ freeBytes: number; totalBytes: number }> {
    try {
      const { bavail, blocks, bsize } = await statfs(this.path);
      return { freeBytes: bavail * bsize, totalBytes: blocks * bsize };
    } catch (error) {
      throw fromSystemError(error, `Looking at the room of store ${this.id} (${this.path})`);
    }
  }

  private get syncs(): boolean {
    return this.options.durability !== "relaxed";
  }

  private async makeFolder(path: string): Promise<void> {
    if (this.made.has(path)) return;
    // The store's own folder must be there: a share that is not mounted must not be filled beneath its mount point.
    await stat(this.path);
    const first = await mkdir(path, { recursive: true });
    if (first !== undefined && this.syncs) await syncFolder(dirname(first));
    this.made.add(path);
  }
}

async function syncFolder(path: string): Promise<void> {
  const folder = await open(path, "r");
  try {
    await folder.sync();
  } finally {
    await folder.close();
  }
}
