import { and, asc, desc, eq, gt, max, min, sql } from "drizzle-orm";
import { LIST_KINDS, SINGLE_KINDS } from "#core/estate/difference.ts";
import type { Estate } from "#core/estate/model.ts";
import type { Database } from "../db/connect.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { estateChanges } from "../db/schema.ts";

/** The newest change of an estate; `version` names it. */
export type LastChange = { version: number; items: number; personName: string; reason: string; modelAt: number };

/** Grows with every change of an organisation's estate; 0 before the first. */
export async function estateVersion(db: Pick<Database, "select">, organisationId: string): Promise<number> {
  const [newest] = await db.select({ id: max(estateChanges.id) }).from(estateChanges).where(eq(estateChanges.organisationId, organisationId));
  return newest?.id ?? 0;
}

/** Of no estate that can be changed: what is shown is as it was before something changed. */
export const OF_THE_PAST = -1;

/**
 * The version for which something that is shown may be changed. What the needle shows of the past is
 * none: taken for today's it would undo unseen what has changed since.
 */
export const shownVersion = async (db: Pick<Database, "select">, organisationId: string, changedSince: number): Promise<number> => (changedSince > 0 ? OF_THE_PAST : estateVersion(db, organisationId));

/** All items that one act changed share its instant; null where nothing can be undone: before the first change there was no estate. */
export async function lastChange(db: Database, organisationId: string): Promise<LastChange | null> {
  const mine = eq(estateChanges.organisationId, organisationId);
  const [newest] = await db.select().from(estateChanges).where(mine).orderBy(desc(estateChanges.id)).limit(1);
  if (!newest) return null;
  const [extent] = await db.select({ items: sql<number>`count(*)::int`, from: min(estateChanges.id) }).from(estateChanges).where(and(mine, sameAct(newest.id)));
  const [first] = await db.select({ id: min(estateChanges.id) }).from(estateChanges).where(mine);
  if (extent!.from === first!.id) return null;
  return { version: newest.id, items: extent!.items, personName: newest.personName, reason: newest.reason, modelAt: newest.modelAt };
}

const sameAct = (id: number) => sql`${estateChanges.wallAt} = (select wall_at from estate_change where id = ${id})`;

/** The estate as it was before a change, from the rows that the change left. */
export async function estateBefore(db: Database, organisationId: string, version: number): Promise<Estate> {
  const now = (await loadEstate(db, organisationId))!;
  const rows = await db.select(UNDOING).from(estateChanges).where(and(eq(estateChanges.organisationId, organisationId), sameAct(version)));
  return withChangesUndone(now, rows);
}

/** What undoing a change needs to know of it. */
export type Undoing = { kind: string; itemId: string; before: unknown };
const UNDOING = { kind: estateChanges.kind, itemId: estateChanges.itemId, before: estateChanges.before };

/** An estate with changes taken back; of several of one item the first row tells how it was. */
export function withChangesUndone(now: Estate, rows: readonly Undoing[]): Estate {
  const was = new Map<string, unknown>();
  for (const r of rows) if (!was.has(`${r.kind}/${r.itemId}`)) was.set(`${r.kind}/${r.itemId}`, r.before);
  const before: Record<string, unknown> = { ...now };
  for (const kind of SINGLE_KINDS) before[kind] = was.get(`${kind}/${kind}`) ?? now[kind];
  for (const kind of LIST_KINDS) {
    const here = new Set(now[kind].map((item) => item.id));
    const kept = now[kind].flatMap((item) => (was.has(`${kind}/${item.id}`) ? (was.get(`${kind}/${item.id}`) ?? []) : [item]));
    before[kind] = [...kept, ...[...was].flatMap(([key, body]) => (key.startsWith(`${kind}/`) && body !== null && !here.has(key.slice(kind.length + 1)) ? [body] : []))];
  }
  return before as Estate;
}

/**
 * The estate as it was at an instant: today's with later changes undone, and how many items have
 * changed since. Before it was first described it is taken as it was described then.
 */
export async function estateAt(db: Database, organisationId: string, now: Estate, at: number): Promise<{ estate: Estate; changed: number }> {
  const mine = eq(estateChanges.organisationId, organisationId);
  const [first] = await db.select({ id: min(estateChanges.id) }).from(estateChanges).where(mine);
  if (typeof first?.id !== "number") return { estate: now, changed: 0 };
  const rows = await db
    .select(UNDOING)
    .from(estateChanges)
    .where(and(mine, gt(estateChanges.modelAt, at), sql`not (${sameAct(first.id)})`))
    .orderBy(asc(estateChanges.id));
  return rows.length === 0 ? { estate: now, changed: 0 } : { estate: withChangesUndone(now, rows), changed: new Set(rows.map((r) => `${r.kind}/${r.itemId}`)).size };
}
