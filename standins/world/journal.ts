import { type FileHandle, mkdir, open, readFile, rename, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { Simulation, type WorldRecord, type WorldState } from "./simulation.ts";
import type { Truth } from "./truth.ts";

type Line = { n: number; record: WorldRecord | { type: "shown"; instant: number } };
type Saved = { n: number; shown: number; state: WorldState };

const SNAPSHOT_EVERY = 4_000;

/** The durable, ordered log of everything that happened in the world, with a snapshot now and then. */
export class Journal {
  private n = 0;
  private sinceSnapshot = 0;
  private waiting: string[] = [];
  private writing: Promise<void> = Promise.resolve();
  private file: FileHandle | undefined;
  /** The clock was shown to somebody up to here, and never goes back behind it. */
  shown = 0;

  private constructor(
    private readonly folder: string,
    private readonly relaxed: boolean,
  ) {}

  /** Opens the log and brings the state to where it ended; a last line cut short by a kill is dropped. */
  static async open(folder: string, relaxed: boolean, truth: Truth, fresh: WorldState): Promise<{ journal: Journal; simulation: Simulation }> {
    await mkdir(folder, { recursive: true });
    const journal = new Journal(folder, relaxed);
    const saved = await readFile(join(folder, "state.json"), "utf8").then((text) => JSON.parse(text) as Saved, () => undefined);
    const simulation = new Simulation(truth, saved?.state ?? fresh);
    journal.n = saved?.n ?? 0;
    journal.shown = saved?.shown ?? 0;
    const text = await readFile(join(folder, "log.jsonl"), "utf8").catch(() => "");
    const whole = text.slice(0, text.lastIndexOf("\n") + 1);
    for (const line of whole.split("\n")) {
      if (line === "") continue;
      const { n, record } = JSON.parse(line) as Line;
      if (n <= journal.n) continue;
      journal.n = n;
      if (record.type === "shown") journal.shown = record.instant;
      else simulation.apply(record);
    }
    if (!simulation.held) simulation.advance(Math.min(journal.shown, simulation.next()?.instant ?? Infinity));
    await journal.snapshot(simulation);
    return { journal, simulation };
  }

  append(record: WorldRecord | { type: "shown"; instant: number }): void {
    this.waiting.push(JSON.stringify({ n: ++this.n, record } satisfies Line));
    this.sinceSnapshot++;
  }

  /** Resolves when everything appended is on disk. Calls made side by side share one write. */
  commit(simulation: Simulation): Promise<void> {
    this.writing = this.writing.then(async () => {
      if (this.waiting.length === 0) return;
      const lines = this.waiting;
      this.waiting = [];
      await this.file!.appendFile(`${lines.join("\n")}\n`);
      if (!this.relaxed) await this.file!.datasync();
      if (this.sinceSnapshot >= SNAPSHOT_EVERY && this.waiting.length === 0) await this.snapshot(simulation);
    });
    return this.writing;
  }

  async close(): Promise<void> {
    await this.file?.close();
    this.file = undefined;
  }

  private async snapshot(simulation: Simulation): Promise<void> {
    const path = join(this.folder, "state.json");
    const saved = JSON.stringify({ n: this.n, shown: this.shown, state: simulation.state } satisfies Saved);
    await writeFile(`${path}.new`, saved, { flush: true });
    await rename(`${path}.new`, path);
    await this.file?.close();
    this.file = await open(join(this.folder, "log.jsonl"), "w");
    this.sinceSnapshot = 0;
  }
}
