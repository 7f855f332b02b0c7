import { and, eq, gte, sql } from "drizzle-orm";
import type { Database } from "../connect.ts";
import { copies, points, runs, works } from "../schema.ts";

/** Copies of one round of captures that arrived in one store. */
export type Arrivals = { store: string; from: number; to: number; count: number };

/** Captures less than ten minutes apart are drawn as one round. */
const ROUND_MS = 600_000;

export async function arrivalsSince(db: Database, organisationId: string, since: number): Promise<Arrivals[]> {
  const rows = await db
    .select({ store: copies.storeId, from: sql<string>`min(${points.capturedAt})`, to: sql<string>`max(${copies.arrivedAt})`, count: sql<number>`count(*)::int` })
    .from(copies)
    .innerJoin(points, and(eq(points.organisationId, copies.organisationId), eq(points.id, copies.pointId)))
    .where(and(eq(copies.organisationId, organisationId), gte(points.capturedAt, since)))
    .groupBy(copies.storeId, sql`${points.capturedAt} / ${sql.raw(String(ROUND_MS))}`);
  return rows.map((row) => ({ ...row, from: Number(row.from), to: Number(row.to) }));
}

export type RunSpan = { id: string; number: number; from: number; to: number | null };

export async function runsSince(db: Database, organisationId: string, since: number): Promise<RunSpan[]> {
  const rows = await db
    .select({ id: runs.id, number: runs.number, from: works.beganAt, to: works.endedAt, state: works.state })
    .from(runs)
    .innerJoin(works, eq(works.id, runs.id))
    .where(and(eq(runs.organisationId, organisationId), gte(works.beganAt, since)));
  return rows.map((row) => ({ id: row.id, number: row.number, from: row.from!, to: ["waiting", "running", "stopping"].includes(row.state) ? null : row.to }));
}
