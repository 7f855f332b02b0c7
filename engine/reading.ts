import type { Scale } from "./chunks/scale.ts";
import type { Digest } from "./digest.ts";
import { EngineError } from "./errors.ts";
import type { PageSource } from "./points/block-map.ts";
import type { ReadChunk, Vault } from "./vault.ts";

/** A copy was damaged or missing and another store's was used instead. */
export type Substitution = { from: string; used: string; what: string; reason: string };

/** Reads chunks from the first of several stores that has them whole. */
export class ChunkReader {
  readonly substitutions: Substitution[] = [];

  constructor(
    private readonly vaults: readonly Vault[],
    private readonly scale: Scale,
    private readonly onSubstitution: (s: Substitution) => void = () => undefined,
  ) {}

  /** Throws `damaged` (or `missing`) naming every store tried where none has a chunk whole. */
  async read(digests: readonly Digest[], take: (digest: Digest, chunk: ReadChunk) => Promise<void> | void): Promise<void> {
    let open = [...digests];
    const failures = new Map<Digest, EngineError[]>();
    for (const vault of this.vaults) {
      if (open.length === 0) break;
      const left: Digest[] = [];
      await vault.readChunks(open, this.scale, async (digest, chunk) => {
        if (chunk instanceof EngineError) {
          left.push(digest);
          const list = failures.get(digest) ?? [];
          list.push(chunk);
          failures.set(digest, list);
          return;
        }
        const failed = failures.get(digest);
        if (failed) this.note({ from: this.vaults[0]!.id, used: vault.id, what: `chunk ${digest.slice(0, 12)}`, reason: failed[0]!.message });
        await take(digest, chunk);
      });
      open = left;
    }
    if (open.length > 0) throw nowhereWhole(`chunk ${open[0]!.slice(0, 12)}`, failures.get(open[0]!) ?? [], this.vaults);
  }

  private note(s: Substitution): void {
    this.substitutions.push(s);
    this.onSubstitution(s);
  }
}

/** Reads pages and configs from the first of several stores that has them whole. */
export function pageReader(vaults: readonly Vault[], onSubstitution: (s: Substitution) => void = () => undefined): PageSource {
  return async (digest) => {
    const failures: EngineError[] = [];
    for (const vault of vaults) {
      try {
        const page = await vault.getBlob(digest);
        if (failures.length > 0) onSubstitution({ from: vaults[0]!.id, used: vault.id, what: `page ${digest.slice(0, 12)}`, reason: failures[0]!.message });
        return page;
      } catch (error) {
        if (!(error instanceof EngineError)) throw error;
        failures.push(error);
      }
    }
    throw nowhereWhole(`page ${digest.slice(0, 12)}`, failures, vaults);
  };
}

function nowhereWhole(what: string, failures: readonly EngineError[], vaults: readonly Vault[]): EngineError {
  const kind = failures.some((f) => f.kind === "damaged") ? "damaged" : (failures[0]?.kind ?? "missing");
  const stores = vaults.map((v) => v.id).join(", ");
  const why = failures.map((f) => f.message).join("; ");
  return new EngineError(kind, `No store has ${what} whole (tried ${stores}): ${why}`, { stores: vaults.map((v) => v.id), blobs: failures.map((f) => f.data["blob"]).filter(Boolean) });
}
