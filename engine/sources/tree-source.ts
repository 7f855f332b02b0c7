import type { BigIntStats } from "node:fs";
import { lstat, open, readdir, readlink } from "node:fs/promises";
import { basename } from "node:path";
import { ONE_TO_ONE, type Scale } from "../chunks/scale.ts";
import { EngineError, fromSystemError } from "../errors.ts";
import type { CatalogueEntry } from "../points/catalogue.ts";
import type { BlockStream, Source, SourceItem } from "./source.ts";

const SLASH = Buffer.from("/");
const joinBytes = (a: Buffer, b: Buffer): Buffer => (a.length === 0 ? b : Buffer.concat([a, SLASH, b]));

/** A real folder with all below it, or one real file as a disk image. Symbolic links are kept, never followed. */
export class TreeSource implements Source {
  readonly scale: Scale = ONE_TO_ONE;

  private constructor(
    private readonly path: string,
    readonly kind: "folder" | "image",
  ) {}

  static async at(path: string): Promise<TreeSource> {
    const stats = await lstat(path).catch((error: unknown) => {
      throw fromSystemError(error, `Protecting ${path}`);
    });
    if (stats.isDirectory()) return new TreeSource(path, "folder");
    if (stats.isFile()) return new TreeSource(path, "image");
    throw new EngineError("input", `${path} is neither a folder nor a file; name the folder or disk image to protect`);
  }

  async *entries(): AsyncGenerator<SourceItem> {
    if (this.kind === "image") {
      const stats = await lstat(this.path, { bigint: true });
      const name = Buffer.from(basename(this.path));
      yield { kind: "entry", entry: { path: name, type: "disk", ...attributes(stats), bytes: Number(stats.size) }, stream: fileStream(Buffer.from(this.path), Number(stats.size)) };
    } else yield* this.folder(Buffer.from(this.path), Buffer.alloc(0), new Map());
  }

  private async *folder(real: Buffer, path: Buffer, linked: Map<string, Buffer>): AsyncGenerator<SourceItem> {
    let names: Buffer[];
    try {
      names = await readdir(real, { encoding: "buffer" });
    } catch (error) {
      yield { kind: "skipped", path: path.toString(), reason: `cannot be read (${(error as NodeJS.ErrnoException).code})` };
      return;
    }
    names.sort(Buffer.compare);
    for (const name of names) yield* this.item(joinBytes(real, name), joinBytes(path, name), linked);
  }

  private async *item(real: Buffer, path: Buffer, linked: Map<string, Buffer>): AsyncGenerator<SourceItem> {
    const skip = (reason: string): SourceItem => ({ kind: "skipped", path: path.toString(), reason });
    let stats: BigIntStats;
    try {
      stats = await lstat(real, { bigint: true });
    } catch (error) {
      yield skip(`vanished or cannot be read (${(error as NodeJS.ErrnoException).code})`);
      return;
    }
    const common = { path, ...attributes(stats) };
    if (stats.isDirectory()) {
      yield { kind: "entry", entry: { ...common, type: "folder" } };
      yield* this.folder(real, path, linked);
    } else if (stats.isSymbolicLink()) {
      yield { kind: "entry", entry: { ...common, type: "symlink", target: await readlink(real, { encoding: "buffer" }) } };
    } else if (stats.isFile()) {
      if (stats.nlink > 1n) {
        const group = `${stats.dev}:${stats.ino}`;
        const first = linked.get(group);
        if (first) {
          yield { kind: "entry", entry: { path, type: "hardlink", target: first } };
          return;
        }
        linked.set(group, path);
      }
      const bytes = Number(stats.size);
      try {
        yield { kind: "entry", entry: { ...common, type: "file", bytes }, ...(bytes > 0 ? { stream: await openedStream(real, bytes) } : {}) };
      } catch (error) {
        if (!(error instanceof EngineError)) throw error;
        yield skip(`cannot be read (${String(error.data["code"] ?? error.kind)})`);
      }
    } else yield skip(stats.isSocket() ? "a socket" : stats.isFIFO() ? "a named pipe" : "a device");
  }
}

function attributes(stats: BigIntStats): Pick<CatalogueEntry, "mode" | "uid" | "gid" | "mtimeMicros"> {
  return { mode: Number(stats.mode & 0o7777n), uid: Number(stats.uid), gid: Number(stats.gid), mtimeMicros: Number(floorDiv(stats.mtimeNs, 1_000n)) };
}

/** BigInt division cuts toward zero; times before 1970 need the floor. */
const floorDiv = (a: bigint, b: bigint): bigint => (a < 0n && a % b !== 0n ? a / b - 1n : a / b);

/** Opened before its entry is given out, so that a file which may not be read is skipped, not half caught. */
async function openedStream(path: Buffer, bytes: number): Promise<BlockStream> {
  let file;
  try {
    file = await open(path, "r");
  } catch (error) {
    throw fromSystemError(error, `Reading ${path.toString()}`);
  }
  const handle = file;
  const size = ONE_TO_ONE.realBlock;
  return {
    nominalBytes: bytes,
    async read(block) {
      const want = Math.min(size, bytes - block * size);
      const buffer = Buffer.allocUnsafeSlow(want);
      let filled = 0;
      while (filled < want) {
        const { bytesRead } = await handle.read(buffer, filled, want - filled, block * size + filled);
        // A file that shrank while it was read is completed with zeros: its size stays as it was stated.
        if (bytesRead === 0) return buffer.fill(0, filled);
        filled += bytesRead;
      }
      return buffer;
    },
    close: () => handle.close(),
  };
}

function fileStream(path: Buffer, bytes: number): BlockStream {
  let opened: Promise<BlockStream> | undefined;
  const stream = (): Promise<BlockStream> => (opened ??= openedStream(path, bytes));
  return { nominalBytes: bytes, read: async (block) => (await stream()).read(block), close: async () => (await opened)?.close?.() };
}
