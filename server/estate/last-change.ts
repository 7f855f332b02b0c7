import { and, desc, eq, sql } from "drizzle-orm";
import { LIST_KINDS, SINGLE_KINDS } from "#core/estate/difference.ts";
import type { Estate } from "#core/estate/model.ts";
import type { Database } from "../db/connect.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { estateChanges } from "../db/schema.ts";

/** The newest change of an estate: all items that one act changed share its instant. */
export type LastChange = { id: string; items: number; personName: string; reason: string; modelAt: number };

/** `id` names the change and stays the same as long as it is the newest; null where there is none that can be undone. */
export async function lastChange(db: Database, organisationId: string): Promise<LastChange | null> {
  const [newest] = await db
    .select({ id: sql<string>`extract(epoch from ${estateChanges.wallAt})::text`, personName: estateChanges.personName, reason: estateChanges.reason, modelAt: estateChanges.modelAt, items: sql<number>`count(*) over (partition by ${estateChanges.wallAt})::int` })
    .from(estateChanges)
    .where(eq(estateChanges.organisationId, organisationId))
    .orderBy(desc(estateChanges.id))
    .limit(1);
  if (!newest) return null;
  // Before the first change there was no estate to go back to.
  const [first] = await db.select({ id: sql<string>`extract(epoch from min(${estateChanges.wallAt}))::text` }).from(estateChanges).where(eq(estateChanges.organisationId, organisationId));
  return first!.id === newest.id ? null : newest;
}

/** The estate as it was before a change, from the rows that the change left. */
export async function estateBefore(db: Database, organisationId: string, change: string): Promise<Estate> {
  const now = (await loadEstate(db, organisationId))!;
  const rows = await db
    .select()
    .from(estateChanges)
    .where(and(eq(estateChanges.organisationId, organisationId), sql`extract(epoch from ${estateChanges.wallAt})::text = ${change}`));
  const was = new Map(rows.map((r) => [`${r.kind}/${r.itemId}`, r.before]));
  const before: Record<string, unknown> = { ...now };
  for (const kind of SINGLE_KINDS) before[kind] = was.get(`${kind}/${kind}`) ?? now[kind];
  for (const kind of LIST_KINDS) {
    const here = new Set(now[kind].map((item) => item.id));
    const kept = now[kind].flatMap((item) => (was.has(`${kind}/${item.id}`) ? (was.get(`${kind}/${item.id}`) ?? []) : [item]));
    before[kind] = [...kept, ...rows.filter((r) => r.kind === kind && r.before !== null && !here.has(r.itemId)).map((r) => r.before)];
  }
  return before as Estate;
}
