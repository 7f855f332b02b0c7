import { join } from "node:path";
import { and, eq } from "drizzle-orm";
import { BucketStore, type BucketAddress } from "#engine/stores/bucket-store.ts";
import { FolderStore, type FolderStoreOptions } from "#engine/stores/folder-store.ts";
import type { ProbeStep } from "#engine/stores/probe.ts";
import type { Store } from "#engine/stores/store.ts";
import { sha256 } from "#engine/digest.ts";
import { EngineError } from "#engine/errors.ts";
import { FileIndexMemory } from "#engine/index-memory.ts";
import { rebuildIndex } from "#engine/points/point.ts";
import { Vault } from "#engine/vault.ts";
import type { Database } from "../db/connect.ts";
import { storeAccess } from "../db/schema.ts";
import type { Sealer } from "../secrets.ts";

/** Many points that arrive one after the other share one writing of the index. */
const INDEX_AFTER_MS = { each: 3_000, relaxed: 30_000 };

export type StoreAccess = { kind: "folder"; path: string } | ({ kind: "bucket" } & BucketAddress);

/** Opens the stores of the estate; what a vault knows of its store is kept until `forget`. */
export class StoreBook {
  private readonly indexing = new Map<string, NodeJS.Timeout>();
  private vaults = new Map<string, Promise<Vault>>();

  constructor(
    private readonly db: Database,
    private readonly sealer: Sealer,
    private readonly options: FolderStoreOptions = {},
    /** Where it is remembered what lies in which store; nothing is lost with it. */
    private readonly memoryFolder?: string,
  ) {}

  forget(): void {
    this.vaults = new Map();
  }

  /** Writes down what is known of every open store, for the next process. */
  async remember(): Promise<void> {
    await Promise.all([...this.vaults.values()].map(async (vault) => (await vault).remember().catch(() => undefined))).catch(() => undefined);
  }

  /** A store of one organisation; another one's of the same id is another store. */
  vault(organisationId: string, storeId: string): Promise<Vault> {
    const key = `${organisationId}/${storeId}`;
    let vault = this.vaults.get(key);
    if (!vault) {
      vault = this.open(organisationId, storeId);
      this.vaults.set(key, vault);
      vault.catch(() => this.vaults.delete(key));
    }
    return vault;
  }

  /** Brings a store's `index.json` up to date soon; many points that arrive together share one writing. */
  indexSoon(organisationId: string, storeId: string): void {
    const key = `${organisationId}/${storeId}`;
    if (this.indexing.has(key)) return;
    const timer = setTimeout(() => {
      this.indexing.delete(key);
      // It is derived from the points and brought up to date at the next one, should this fail.
      void this.vault(organisationId, storeId)
        .then(async (vault) => {
          await vault.remember();
          await rebuildIndex(vault);
        })
        .catch(() => undefined);
    }, INDEX_AFTER_MS[this.options.durability ?? "each"]);
    timer.unref();
    this.indexing.set(key, timer);
  }

  private async open(organisationId: string, storeId: string): Promise<Vault> {
    const [row] = await this.db.select().from(storeAccess).where(and(eq(storeAccess.organisationId, organisationId), eq(storeAccess.storeId, storeId)));
    if (!row) throw new EngineError("refused", `It is not known how store ${storeId} is reached`);
    const memory = this.memoryFolder && new FileIndexMemory(join(this.memoryFolder, organisationId, `${storeId}.${addressTag(row.address)}`));
    const vault = await Vault.create(openStore(storeId, this.sealer.open<StoreAccess>(row.sealed), this.options), memory || undefined);
    await vault.load();
    this.indexSoon(organisationId, storeId);
    return vault;
  }
}

export const openStore = (id: string, access: StoreAccess, options: FolderStoreOptions = {}): Store => (access.kind === "folder" ? new FolderStore(id, access.path, options) : new BucketStore(id, access));

/** Another address is another store: what was remembered of one is not taken for the other. */
const addressTag = (address: string): string => sha256(Buffer.from(address)).slice(0, 16);

/** Where a store is reached, as it may be shown: no account. */
const shownAddress = (access: StoreAccess): string => (access.kind === "folder" ? access.path : `${access.bucket} at ${access.endpoint}`);

export async function saveStoreAccess(db: Database, sealer: Sealer, organisationId: string, storeId: string, access: StoreAccess, probe: ProbeStep[] | null = null): Promise<void> {
  const values = { kind: access.kind, address: shownAddress(access), sealed: sealer.seal(access), probe, triedAt: probe ? new Date() : null };
  await db.insert(storeAccess).values({ organisationId, storeId, ...values }).onConflictDoUpdate({ target: [storeAccess.organisationId, storeAccess.storeId], set: values });
}
