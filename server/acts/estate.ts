import { createHash } from "node:crypto";
import { difference, type ItemDifference, merged } from "#core/estate/difference.ts";
import type { Estate } from "#core/estate/model.ts";
import { EstateFileError, estateFromRaw, readEstate } from "#formats/estate/read-estate.ts";
import { toRaw, writeEstateJson } from "#formats/estate/write-estate.ts";
import type { Application } from "../application.ts";
import { pointCounts } from "../db/queries/copies.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { changeEstate } from "../estate/change-estate.ts";
import { CannotError, mustAct, type Person } from "../people/roles.ts";

type Context = { app: Application; person: Person };
export const IMPORT_MODES = ["merge", "replace"] as const;
export type ImportMode = (typeof IMPORT_MODES)[number];

/** What an import would do; `base` stands for the estate it was compared with. */
export type ImportPreview = { base: string; differences: ItemDifference[]; pointsOfGoing: { machine: string; points: number }[] };

/** Reads a file and says what it would change. Throws `EstateFileError` or `CannotError`. */
export async function previewImport({ app, person }: Context, text: string, mode: ImportMode): Promise<ImportPreview> {
  mustAct(person);
  const { db } = app.connection;
  const now = await loadEstate(db, person.organisationId);
  const wanted = wantedEstate(now, readEstate(text).estate, mode, person.organisationId);
  const differences = now ? difference(now, wanted) : difference({ ...wanted, sites: [], hazards: [], links: [], hosts: [], stores: [], machines: [], services: [], policies: [] }, wanted);
  const going = new Set(differences.filter((d) => d.kind === "machines" && d.change === "goes").map((d) => d.id));
  const counts = await pointCounts(db, person.organisationId);
  return { base: fingerprint(now), differences, pointsOfGoing: [...counts].filter(([machine]) => going.has(machine)).map(([machine, points]) => ({ machine, points })) };
}

/** Carries an import out as it was shown; refused where the estate has changed since. */
export async function acceptImport({ app, person }: Context, text: string, mode: ImportMode, base: string, reason: string): Promise<{ changed: number }> {
  mustAct(person);
  const { db } = app.connection;
  const now = await loadEstate(db, person.organisationId);
  if (fingerprint(now) !== base) throw new CannotError("The estate has changed since this was shown. Look at the difference again, then accept it");
  const wanted = wantedEstate(now, readEstate(text).estate, mode, person.organisationId);
  return changeEstate(db, wanted, { personName: person.name, reason, modelAt: await app.world.now() });
}

function wantedEstate(now: Estate | null, file: Estate, mode: ImportMode, organisationId: string): Estate {
  if (file.organisation.id !== organisationId) throw new CannotError(`The file describes the organisation ${file.organisation.id}, and you are working for ${organisationId}. Nothing was taken in`);
  if (mode === "replace" || !now) return file;
  const both = merged(now, file);
  try {
    return estateFromRaw(toRaw(both)).estate;
  } catch (error) {
    if (error instanceof EstateFileError) throw new CannotError(`Together with what there is, the file cannot stand: ${error.faults.map((f) => `${f.path}: ${f.message}`).join("; ")}`);
    throw error;
  }
}

const fingerprint = (estate: Estate | null): string => createHash("sha256").update(estate ? writeEstateJson(estate) : "").digest("hex");
