import { and, asc, desc, eq, gt, inArray, sql, count } from "drizzle-orm";
import type { CopyFact } from "#core/copies/copy-fact.ts";
import type { Database } from "../connect.ts";
import { copies, points, storeUsage } from "../schema.ts";

/** All copies of an organisation as facts, newest capture first. */
export function loadCopyFacts(db: Database, organisationId: string): Promise<CopyFact[]> {
  return db
    .select({ point: points.id, machine: points.machineId, capturedAt: points.capturedAt, dataBytes: points.dataBytes, store: copies.storeId, arrivedAt: copies.arrivedAt, state: copies.state })
    .from(copies)
    .innerJoin(points, and(eq(points.organisationId, copies.organisationId), eq(points.id, copies.pointId)))
    .where(eq(copies.organisationId, organisationId))
    .orderBy(desc(points.capturedAt));
}

export async function newestPointBefore(db: Database, organisationId: string, machineId: string, storeId: string, before: number): Promise<{ id: string; capturedAt: number } | undefined> {
  const [row] = await db
    .select({ id: points.id, capturedAt: points.capturedAt })
    .from(points)
    .innerJoin(copies, and(eq(copies.organisationId, points.organisationId), eq(copies.pointId, points.id), eq(copies.storeId, storeId), eq(copies.state, "whole")))
    .where(and(eq(points.organisationId, organisationId), eq(points.machineId, machineId), sql`${points.capturedAt} < ${before}`))
    .orderBy(desc(points.capturedAt))
    .limit(1);
  return row;
}

export async function notePoint(db: Database, point: typeof points.$inferInsert): Promise<void> {
  await db.insert(points).values(point).onConflictDoNothing();
}

export async function noteCopy(db: Database, copy: typeof copies.$inferInsert): Promise<void> {
  await db.insert(copies).values(copy).onConflictDoNothing();
}

/** What each store is filled with: nominal bytes after reduction. */
export async function storedBytes(db: Database, organisationId: string): Promise<Map<string, number>> {
  const rows = await db.select().from(storeUsage).where(eq(storeUsage.organisationId, organisationId));
  return new Map(rows.map((row) => [row.storeId, row.storedBytes]));
}

export async function noteStoreUsage(db: Database, organisationId: string, storeId: string, bytes: number): Promise<void> {
  const stored = Math.round(bytes);
  await db
    .insert(storeUsage)
    .values({ organisationId, storeId, storedBytes: stored })
    .onConflictDoUpdate({ target: [storeUsage.organisationId, storeUsage.storeId], set: { storedBytes: stored } });
}

/** What copies that arrived since an instant added to each store. */
export async function grownBytes(db: Database, organisationId: string, since: number): Promise<Map<string, number>> {
  const rows = await db
    .select({ store: copies.storeId, bytes: sql<string>`sum(${copies.storedBytes})` })
    .from(copies)
    .where(and(eq(copies.organisationId, organisationId), gt(copies.arrivedAt, since)))
    .groupBy(copies.storeId);
  return new Map(rows.map((row) => [row.store, Number(row.bytes)]));
}

export async function markDamaged(db: Database, organisationId: string, storeId: string, pointIds: readonly string[]): Promise<void> {
  if (pointIds.length === 0) return;
  await db.update(copies).set({ state: "damaged" }).where(and(eq(copies.organisationId, organisationId), eq(copies.storeId, storeId), inArray(copies.pointId, [...pointIds])));
}

export type PointView = { id: string; capturedAt: number; nominalBytes: number; dataBytes: number; changedBytes: number; copies: { store: string; arrivedAt: number; state: "whole" | "damaged"; sentBytes: number; storedBytes: number }[] };

/** The points of one machine (or protected path), newest first, each with where it lies. */
export async function pointsOf(db: Database, organisationId: string, machineId: string): Promise<PointView[]> {
  const rows = await db
    .select()
    .from(points)
    .innerJoin(copies, and(eq(copies.organisationId, points.organisationId), eq(copies.pointId, points.id)))
    .where(and(eq(points.organisationId, organisationId), eq(points.machineId, machineId)))
    .orderBy(desc(points.capturedAt), asc(copies.arrivedAt));
  const views = new Map<string, PointView>();
  for (const { point, copy } of rows) {
    const view = views.get(point.id) ?? { ...point, copies: [] };
    view.copies.push({ store: copy.storeId, arrivedAt: copy.arrivedAt, state: copy.state, sentBytes: copy.sentBytes, storedBytes: copy.storedBytes });
    views.set(point.id, view);
  }
  return [...views.values()];
}

/** How many points there are of every machine. */
export async function pointCounts(db: Database, organisationId: string): Promise<Map<string, number>> {
  const rows = await db.select({ machine: points.machineId, count: count() }).from(points).where(eq(points.organisationId, organisationId)).groupBy(points.machineId);
  return new Map(rows.map((r) => [r.machine, r.count]));
}
