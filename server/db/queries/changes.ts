import { and, desc, eq, inArray, lt, sql } from "drizzle-orm";
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
  const acts = await db
    .select({ id: sql<number>`max(${estateChanges.id})::int`, wallAt: estateChanges.wallAt, total: sql<number>`count(*)::int` })
    .from(estateChanges)
    .where(which)
    .groupBy(estateChanges.wallAt)
    .orderBy(desc(sql`max(${estateChanges.id})`))
    .limit(most);
  if (acts.length === 0) return [];
  const numbered = db.$with("numbered").as(
    db
      .select({ id: estateChanges.id, place: sql<number>`row_number() over (partition by ${estateChanges.wallAt} order by ${estateChanges.id})`.as("place") })
      .from(estateChanges)
      .where(and(which, inArray(estateChanges.wallAt, acts.map((a) => a.wallAt)))),
  );
  const rows = await db
    .with(numbered)
    .select({ row: estateChanges })
    .from(estateChanges)
    .innerJoin(numbered, eq(numbered.id, estateChanges.id))
    .where(lt(numbered.place, MOST_ITEMS + 1));
  return acts.map(({ id, wallAt, total }) => {
    const mine = rows.map((r) => r.row).filter((r) => r.wallAt.getTime() === wallAt.getTime());
    const { personName, reason, modelAt } = mine[0]!;
    return { id, personName, reason, modelAt, wallAt: wallAt.getTime(), total, items: mine.sort((a, b) => a.id - b.id).map((r) => changedItem(r.kind, r.itemId, r.before, r.after)) };
  });
}

function changedItem(kind: string, id: string, before: unknown, after: unknown): ChangedItem {
  if (before === null) return { kind, id, change: "appears", fields: [] };
  if (after === null) return { kind, id, change: "goes", fields: [] };
  return { kind, id, change: "changes", fields: fieldsThatDiffer(before, after) };
}
