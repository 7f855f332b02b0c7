import { difference, type ItemDifference, merged } from "#core/estate/difference.ts";
import type { ObservedFlow } from "#core/estate/flow.ts";
import type { Estate } from "#core/estate/model.ts";
import { listWords } from "#core/wording/amounts.ts";
import { type EditableField, type EditableKind, JOINS_POLICY, withFieldSet } from "#formats/estate/editable.ts";
import { estateFromRaw, readEstate } from "#formats/estate/read-estate.ts";
import { toRaw } from "#formats/estate/write-estate.ts";
import { withGraph } from "#formats/graph/dependency-graph.ts";
import { readDot } from "#formats/graph/dot.ts";
import { readGraphml } from "#formats/graph/graphml.ts";
import { readSitesGeoJson } from "#formats/geojson/sites.ts";
import { withOvfMachines } from "#formats/ovf/machines.ts";
import { readOvf } from "#formats/ovf/read-ovf.ts";
import type { TableKind } from "#formats/table/columns.ts";
import { readTable, type TableReading } from "#formats/table/read-table.ts";
import type { Application } from "../application.ts";
import { act } from "./act.ts";
import { addFlows } from "../db/queries/flows.ts";
import { pointCounts } from "../db/queries/copies.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { changeEstate } from "../estate/change-estate.ts";
import { checked, MOVED, standing, unlessMoved } from "../estate/standing.ts";
import { estateBefore, estateVersion, lastChange } from "../estate/last-change.ts";
import { CannotError, mustAct, type Person } from "../people/roles.ts";

type Context = { app: Application; person: Person };
export const IMPORT_MODES = ["merge", "replace"] as const;

/** What is brought in: an estate file, sites as GeoJSON, dependencies as GraphML or DOT, an OVF descriptor whose machines shall run on a host, or a table of one kind with the meaning of its heads. */
export type Incoming = { form: "estate"; text: string; mode: (typeof IMPORT_MODES)[number] } | { form: "sites"; text: string } | { form: "graph"; text: string } | { form: "ovf"; text: string; host: string } | { form: "table"; bytes: Uint8Array; kind: TableKind; mapping: (string | null)[] | null };

/** What an import would do; `base` is the version of the estate it was compared with, `table` tells how a table was read, `notes` what was assumed. */
export type ImportPreview = {
  base: number;
  differences: ItemDifference[];
  pointsOfGoing: { machine: string; points: number }[];
  table: Omit<TableReading, "estate" | "flows"> | null;
  notes: string[];
  /** Observed connections that would be taken in beside the estate. */
  flows: number;
};
type Wanted = { wanted: Estate | null; table: ImportPreview["table"]; notes: string[]; flows: ObservedFlow[] };

/** Reads what is brought in and says what it would change. Throws `EstateFileError`, `TableFileError` or `CannotError`. */
export async function previewImport({ app, person }: Context, incoming: Incoming): Promise<ImportPreview> {
  mustAct(person);
  const { db } = app.connection;
  const base = await estateVersion(db, person.organisationId);
  const now = await loadEstate(db, person.organisationId);
  const { wanted, flows, ...rest } = await wantedEstate(now, incoming, person.organisationId);
  const read = { ...rest, flows: flows.length };
  if (!wanted) return { base, differences: [], pointsOfGoing: [], ...read };
  const differences = difference(now ?? nothingOf(wanted), wanted);
  const going = new Set(differences.filter((d) => d.kind === "machines" && d.change === "goes").map((d) => d.id));
  const counts = await pointCounts(db, person.organisationId);
  return { base, differences, pointsOfGoing: [...counts].filter(([machine]) => going.has(machine)).map(([machine, points]) => ({ machine, points })), ...read };
}

/** Carries an import out as it was shown; refused where the estate has changed since. */
export async function acceptImport({ app, person }: Context, incoming: Incoming, base: number, reason: string): Promise<{ changed: number }> {
  mustAct(person);
  const { db } = app.connection;
  const now = await loadEstate(db, person.organisationId);
  const { wanted, flows } = await wantedEstate(now, incoming, person.organisationId);
  if (!wanted) throw new CannotError("The table has rows that are wrong; nothing was taken in");
  if (flows.length > 0) {
    await act({ app, person }, { act: "flows brought in", subject: `${flows.length} observed connections`, reason }, (tx) => addFlows(tx, person.organisationId, flows));
    return { changed: flows.length };
  }
  return unlessMoved("The estate has changed since this was shown. Look at the difference again, then accept it", async () =>
    changeEstate(db, wanted, { personName: person.name, reason, modelAt: await app.world.now() }, base),
  );
}

/** Sets one field of many items at once, all or none; refused where the estate has changed since they were chosen. */
export async function changeMany({ app, person }: Context, request: { kind: EditableKind; ids: readonly string[]; field: EditableField; value: string; base: number; reason: string }): Promise<{ changed: number }> {
  mustAct(person);
  const { db } = app.connection;
  const now = await loadEstate(db, person.organisationId);
  if (!now) throw new CannotError("No estate is described yet");
  const ids = new Set(request.ids);
  if (request.field.path === JOINS_POLICY && !now.policies.some((p) => p.id === request.value)) throw new CannotError(`There is no policy ${request.value}; known are ${listWords(now.policies.map((p) => p.id), 8)}`);
  const next = standing(`${request.field.words} cannot be “${request.value}”`, () => estateFromRaw(withFieldSet(toRaw(now), request.kind, ids, request.field, request.value)).estate);
  return unlessMoved(MOVED, async () => changeEstate(db, next, { personName: person.name, reason: request.reason, modelAt: await app.world.now() }, request.base));
}

/** Takes back the newest change, by a change of its own; refused where another came since. */
export async function undoChange({ app, person }: Context, version: number): Promise<{ changed: number }> {
  mustAct(person);
  const { db } = app.connection;
  const words = "The estate has been changed again since, so this change is no longer the newest and cannot be undone by itself";
  const last = await lastChange(db, person.organisationId);
  if (last?.version !== version) throw new CannotError(words);
  const before = estateFromRaw(toRaw(await estateBefore(db, person.organisationId, version))).estate;
  return unlessMoved(words, async () => changeEstate(db, before, { personName: person.name, reason: `undone: ${last.reason}`, modelAt: await app.world.now() }, version));
}

async function wantedEstate(now: Estate | null, incoming: Incoming, organisationId: string): Promise<Wanted> {
  if (incoming.form === "estate") {
    const file = readEstate(incoming.text).estate;
    if (file.organisation.id !== organisationId) throw new CannotError(`The file describes the organisation ${file.organisation.id}, and you are working for ${organisationId}. Nothing was taken in`);
    const wanted = incoming.mode === "replace" || !now ? file : standing("Together with what there is, the file cannot stand", () => checked(merged(now, file)));
    return { wanted, table: null, notes: [], flows: [] };
  }
  if (!now) throw new CannotError("This is put into an estate, and none is described yet. Bring in an estate file first");
  switch (incoming.form) {
    case "table": {
      const { estate, flows, ...table } = await readTable(incoming.bytes, incoming.kind, now, incoming.mapping);
      return { wanted: estate, table, notes: table.assumed, flows };
    }
    case "sites":
      return { wanted: standing("The sites cannot be taken in", () => checked(readSitesGeoJson(incoming.text, now))), table: null, notes: [], flows: [] };
    case "graph": {
      const graph = isGraphml(incoming.text) ? readGraphml : readDot;
      return { wanted: standing("The dependencies cannot be taken in", () => checked(withGraph(now, graph(incoming.text)))), table: null, notes: ["Of every service that is a node of the graph, the dependencies become those of the graph; others keep theirs."], flows: [] };
    }
    case "ovf": {
      const { estate, notes } = standing("The descriptor cannot be taken in", () => withOvfMachines(now, readOvf(incoming.text), incoming.host));
      return { wanted: estate, table: null, notes, flows: [] };
    }
  }
}

/** GraphML is XML; DOT never begins like it. */
const isGraphml = (text: string): boolean => text.trimStart().startsWith("<");

const nothingOf = (estate: Estate): Estate => ({ ...estate, sites: [], hazards: [], links: [], networks: [], platforms: [], hosts: [], stores: [], keys: [], machines: [], services: [], groups: [], policies: [], landings: [] });
