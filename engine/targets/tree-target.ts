import { chmod, lchown, link, lutimes, mkdir, open, readdir, symlink, utimes } from "node:fs/promises";
import { EngineError, fromSystemError } from "../errors.ts";
import type { CatalogueEntry } from "../points/catalogue.ts";

export interface BlockSink {
  write(offset: number, bytes: Buffer): Promise<void>;
  close(): Promise<void>;
}

/** A new or empty folder into which a point is brought back. */
export class TreeTarget {
  private readonly folders: CatalogueEntry[] = [];
  private readonly madeFolders = new Set<string>([""]);
  private readonly owners = process.getuid?.() === 0;

  private constructor(private readonly root: Buffer) {}

  static async at(path: string): Promise<TreeTarget> {
    try {
      await mkdir(path, { recursive: true });
      if ((await readdir(path)).length > 0) throw new EngineError("input", `${path} is not empty; name a new or empty folder, so that nothing there is overwritten`);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === "EEXIST" || (error as NodeJS.ErrnoException).code === "ENOTDIR")
        throw new EngineError("input", `${path} is not a folder; name a new or empty folder`, {}, { cause: error });
      throw fromSystemError(error, `Preparing ${path}`);
    }
    return new TreeTarget(Buffer.from(path));
  }

  private at(path: Buffer): Buffer {
    return Buffer.concat([this.root, Buffer.from("/"), path]);
  }

  /** Makes the entry; gives a sink for its contents where it has some. */
  async make(entry: CatalogueEntry): Promise<BlockSink | undefined> {
    this.refuseThroughLink(entry.path);
    const path = this.at(entry.path);
    switch (entry.type) {
      case "folder":
        await mkdir(path, { mode: 0o700 });
        // Rights and times of folders are set last, innermost first: filling them would be refused or change them.
        this.folders.push(entry);
        this.madeFolders.add(entry.path.toString("latin1"));
        return undefined;
      case "symlink":
        await symlink(entry.target!, path);
        await this.dress(entry, path);
        return undefined;
      case "hardlink":
        await link(this.at(entry.target!), path);
        return undefined;
      case "file":
      case "disk":
        return this.file(entry, path);
    }
  }

  /** What lies in a folder must lie in one made here: a link in its place could lead out of the target. */
  private refuseThroughLink(path: Buffer): void {
    const text = path.toString("latin1");
    const parent = text.slice(0, Math.max(0, text.lastIndexOf("/")));
    if (!this.madeFolders.has(parent)) throw new EngineError("damaged", `the point holds ${path.toString()} outside any folder of its own; nothing is written there`);
  }

  async finish(): Promise<void> {
    for (const entry of this.folders.reverse()) await this.dress(entry, this.at(entry.path));
  }

  private async file(entry: CatalogueEntry, path: Buffer): Promise<BlockSink> {
    const file = await open(path, "wx", 0o600);
    await file.truncate(entry.bytes ?? 0);
    return {
      write: async (offset, bytes) => {
        for (let done = 0; done < bytes.length; ) done += (await file.write(bytes, done, bytes.length - done, offset + done)).bytesWritten;
      },
      close: async () => {
        await file.close();
        await this.dress(entry, path);
      },
    };
  }

  private async dress(entry: CatalogueEntry, path: Buffer): Promise<void> {
    if (this.owners && entry.uid !== undefined && entry.gid !== undefined) await lchown(path, entry.uid, entry.gid);
    if (entry.mode !== undefined && entry.type !== "symlink") await chmod(path, entry.mode);
    if (entry.mtimeMicros === undefined) return;
    // Times go to the system as a double that is cut to whole microseconds: half of one more keeps ours.
    const seconds = (entry.mtimeMicros + 0.5) / 1e6;
    await (entry.type === "symlink" ? lutimes(path, seconds, seconds) : utimes(path, seconds, seconds));
  }
}
