import { bringBackTree } from "#engine/bring-back.ts";
import { capture } from "#engine/capture.ts";
import type { PointId } from "#engine/points/publication.ts";
import { replicate } from "#engine/replicate.ts";
import { unpaced } from "#engine/slices.ts";
import { TreeSource } from "#engine/sources/tree-source.ts";
import { countWords, sizeWords } from "#core/wording/amounts.ts";
import { EngineError } from "#engine/errors.ts";
import { noteCopy, notePoint, noteStoreUsage } from "../db/queries/copies.ts";
import type { CopyTools } from "./copy-machine.ts";
import type { Runner } from "./coordinator.ts";

/** How often progress of unpaced work is written, by bytes moved. */
const REPORT_EVERY_BYTES = 32 * 1024 * 1024;

/** Points of real folders are kept apart from machines by this in front of their name. */
export const pathMachine = (name: string): string => `path:${name}`;

/** Protects a real folder or disk image, one to one: into the first store, then on to the others. */
export const protectPath =
  ({ db, stores }: Pick<CopyTools, "db" | "stores">): Runner =>
  async (flow, work, { progress }) => {
    if (work.subject.kind !== "protect") throw new TypeError("not a protected path");
    const { name, path, capturedAt, storeIds } = work.subject;
    const { organisationId } = work;
    const source = await TreeSource.at(path);
    const first = await stores.vault(work.organisationId, storeIds[0]!);
    const caught = await capture(first, source, { name, capturedAt }, unpaced(reporter((moved) => progress({ note: `${sizeWords(moved)} read` }))));
    stores.indexSoon(work.organisationId, storeIds[0]!);
    const { id } = caught.publication;
    const machineId = pathMachine(name);
    const { nominalBytes, dataBytes, changedBytes, skipped, skippedCount } = caught.config;
    await notePoint(db, { organisationId, id, machineId, capturedAt, nominalBytes, dataBytes, changedBytes });
    await noteCopy(db, { organisationId, pointId: id, storeId: storeIds[0]!, arrivedAt: capturedAt, sentBytes: caught.totals.nominalSent, storedBytes: caught.totals.nominalStored });
    await noteStoreUsage(db, organisationId, storeIds[0]!, first.nominalStored);
    for (const storeId of storeIds.slice(1)) {
      const vault = await stores.vault(work.organisationId, storeId);
      const { totals } = await replicate(first, vault, id, unpaced(reporter((moved) => progress({ note: `${sizeWords(moved)} sent to ${storeId}` }))));
      stores.indexSoon(work.organisationId, storeId);
      await noteCopy(db, { organisationId, pointId: id, storeId, arrivedAt: capturedAt, sentBytes: totals.nominalSent, storedBytes: totals.nominalStored });
      await noteStoreUsage(db, organisationId, storeId, vault.nominalStored);
    }
    flow.now = Math.max(flow.now, capturedAt);
    const left = skippedCount > 0 ? `; skipped ${countWords(skippedCount, "entry", "entries")}: ${skipped.map((s) => `${s.path} (${s.reason})`).join(", ")}` : "";
    progress({ note: `${countWords(caught.config.catalogue.entries, "entry", "entries")}, ${sizeWords(nominalBytes)}, ${sizeWords(caught.totals.nominalSent)} new${left}` });
  };

/** Brings a real folder or image back into a new or empty folder, from whichever store has it whole. */
export const bringPathBack =
  ({ stores }: Pick<CopyTools, "stores">): Runner =>
  async (_flow, work, { progress }) => {
    if (work.subject.kind !== "bring-back") throw new TypeError("not a bringing back");
    const { name, point, storeIds, to } = work.subject;
    const vaults = [];
    for (const id of storeIds) vaults.push(await stores.vault(work.organisationId, id));
    if (vaults.length === 0) throw new EngineError("missing", `No store has a copy of ${name}`);
    const done = await bringBackTree(vaults, point as PointId, to, unpaced(reporter((moved) => progress({ note: `${sizeWords(moved)} brought back` }))));
    const used = [...new Set(done.substitutions.map((s) => s.used))];
    progress({ note: `${countWords(done.entries, "entry", "entries")} brought back to ${to}, every chunk checked${used.length ? `; ${used.join(", ")} used where ${storeIds[0]} was damaged` : ""}` });
  };

function reporter(report: (moved: number) => void): (bytes: number) => void {
  let moved = 0;
  let told = 0;
  return (bytes) => {
    moved += bytes;
    if (moved - told < REPORT_EVERY_BYTES) return;
    told = moved;
    report(moved);
  };
}
