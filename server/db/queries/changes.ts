import { and, asc, desc, eq, lt, lte, max, sql } from "drizzle-orm";
import { fieldsThatDiffer } from "#core/estate/difference.ts";
import type { Database } from "../connect.ts";
import { estateChanges } from "../schema.ts";

export type ChangedItem = { kind: string; id: string; change: "appears" | "goes" | "changes"; fields: { path: string; before: unknown; after: unknown }[] };
/** What one act changed: who, why, when by both clocks. `id` is that of its last row; `total` counts all its items. */
export type EstateAct = { id: number; personName: string; reason: string; modelAt: number; wallAt: number; total: number; items: ChangedItem[] };

const MOST_ITEMS = 30;

/** Acts that changed an estate, the newest first: before a row where one is given, about one item where one is named. */
export async function readActs(db: Database, organisationId: string, most: number, { before, item }: { before?: number; item?: { kind: string; id: string } } = {}): Promise<EstateAct[]> {
  const which = and(
    eq(estateChanges.organisationId, organisationId),
    ...(before === undefined ? [] : [lt(estateChanges.id, before)]),
    ...(item ? [eq(estateChanges.kind, item.kind), eq(estateChanges.itemId, item.id)] : []),
  );
  // All items that one act changed share its instant.
  const acts = db.$with("acts").as(
    db
      .select({ act: max(estateChanges.id).as("act"), at: estateChanges.wallAt, total: sql<number>`count(*)::int`.as("total") })
      .from(estateChanges)
      .where(which)
      .groupBy(estateChanges.wallAt)
      .orderBy(desc(max(estateChanges.id)))
      .limit(most),
  );
  const numbered = db.$with("numbered").as(
    db
      .select({ row: estateChanges.id, act: acts.act, total: acts.total, place: sql<number>`row_number() over (partition by ${acts.act} order by ${estateChanges.id})`.as("place") })
      .from(estateChanges)
      .innerJoin(acts, eq(acts.at, estateChanges.wallAt))
      .where(which),
  );
  const rows = await db
    .with(acts, numbered)
    .select({ change: estateChanges, act: sql<number>`${numbered.act}::int`, total: numbered.total })
    .from(numbered)
    .innerJoin(estateChanges, eq(estateChanges.id, numbered.row))
    .where(lte(numbered.place, MOST_ITEMS))
    .orderBy(desc(numbered.act), asc(estateChanges.id));
  const found = new Map<number, EstateAct>();
  for (const { change: c, act: id, total } of rows) {
    const act = found.get(id) ?? { id, personName: c.personName, reason: c.reason, modelAt: c.modelAt, wallAt: c.wallAt.getTime(), total, items: [] };
    found.set(id, act);
    act.items.push(changedItem(c.kind, c.itemId, c.before, c.after));
  }
  return [...found.values()];
}

function changedItem(kind: string, id: string, before: unknown, after: unknown): ChangedItem {
  if (before === null) return { kind, id, change: "appears", fields: [] };
  if (after === null) return { kind, id, change: "goes", fields: [] };
  return { kind, id, change: "changes", fields: fieldsThatDiffer(before, after) };
}
