import { and, asc, desc, eq, inArray } from "drizzle-orm";
import type { Database } from "../connect.ts";
import { audit, protectedPaths, schedules, works } from "../schema.ts";

export type WorkView = typeof works.$inferSelect;

export function openWork(db: Database, organisationId: string): Promise<WorkView[]> {
  return db
    .select()
    .from(works)
    .where(and(eq(works.organisationId, organisationId), inArray(works.state, ["waiting", "running", "stopping", "stopped", "failed"])))
    .orderBy(asc(works.createdAt));
}

export function lastPathWork(db: Database, organisationId: string): Promise<WorkView[]> {
  return db
    .select()
    .from(works)
    .where(and(eq(works.organisationId, organisationId), inArray(works.kind, ["protect", "bring-back"])))
    .orderBy(desc(works.createdAt))
    .limit(12);
}

export function loadSchedules(db: Database, organisationId: string): Promise<(typeof schedules.$inferSelect)[]> {
  return db.select().from(schedules).where(eq(schedules.organisationId, organisationId));
}

export function loadProtectedPaths(db: Database, organisationId: string): Promise<(typeof protectedPaths.$inferSelect)[]> {
  return db.select().from(protectedPaths).where(eq(protectedPaths.organisationId, organisationId)).orderBy(asc(protectedPaths.name));
}

export function lastAudit(db: Database, organisationId: string, most: number): Promise<(typeof audit.$inferSelect)[]> {
  return db.select().from(audit).where(eq(audit.organisationId, organisationId)).orderBy(desc(audit.id)).limit(most);
}
