import { appendFile, mkdir, readFile } from "node:fs/promises";
import { dirname } from "node:path";
import { type Digest, isDigest } from "./digest.ts";

/**
 * What is remembered of a store's blobs from one process to the next, so that opening a large or far
 * store need not read each again: of a pack its last bytes from the index on, of any other blob null.
 * A blob never changes under its name, so what is remembered can lack some and never be wrong; it may
 * be deleted at any time.
 */
export interface IndexMemory {
  recall(): Promise<ReadonlyMap<Digest, Buffer | null>>;
  note(digest: Digest, index: Buffer | null): void;
  /** Writes down what was noted since. */
  save(): Promise<void>;
}

/** A text file of lines `digest index`, the index in base64 or `-`; a line cut short by a kill is passed over. */
export class FileIndexMemory implements IndexMemory {
  private waiting: string[] = [];
  private writing: Promise<void> = Promise.resolve();

  constructor(private readonly path: string) {}

  async recall(): Promise<ReadonlyMap<Digest, Buffer | null>> {
    const text = await readFile(this.path, "latin1").catch(() => "");
    const known = new Map<Digest, Buffer | null>();
    for (const line of text.split("\n")) {
      const [digest = "", index = "", end] = line.split(" ");
      // Every whole line ends with a point of its own, so that a cut index is not taken for a shorter one.
      if (isDigest(digest) && end === ".") known.set(digest, index === "-" ? null : Buffer.from(index, "base64"));
    }
    return known;
  }

  note(digest: Digest, index: Buffer | null): void {
    this.waiting.push(`${digest} ${index ? index.toString("base64") : "-"} .\n`);
  }

  save(): Promise<void> {
    this.writing = this.writing
      .catch(() => undefined)
      .then(async () => {
        const lines = this.waiting;
        if (lines.length === 0) return;
        this.waiting = [];
        await mkdir(dirname(this.path), { recursive: true });
        // A line that an earlier kill cut short is ended first.
        await appendFile(this.path, `\n${lines.join("")}`, { mode: 0o600 });
      });
    return this.writing;
  }
}
