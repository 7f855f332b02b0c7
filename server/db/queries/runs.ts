import { and, asc, desc, eq, inArray } from "drizzle-orm";
import { type Grade, gradeReached, measuredServiceable, type MeasuredStep } from "#core/runbook/proof.ts";
import type { Database } from "../connect.ts";
import { confirmations, runs, runSteps, works } from "../schema.ts";

export type RunView = typeof runs.$inferSelect & { work: typeof works.$inferSelect };
export type RunStepView = typeof runSteps.$inferSelect;

export async function listRuns(db: Database, organisationId: string): Promise<RunView[]> {
  const rows = await db.select().from(runs).innerJoin(works, eq(works.id, runs.id)).where(eq(runs.organisationId, organisationId)).orderBy(desc(runs.number));
  return rows.map((row) => ({ ...row.run, work: row.work }));
}

export async function loadRun(db: Database, organisationId: string, id: string): Promise<{ run: RunView; steps: RunStepView[]; confirmed: (typeof confirmations.$inferSelect)[] } | null> {
  if (!/^[0-9a-f-]{36}$/.test(id)) return null;
  const [row] = await db.select().from(runs).innerJoin(works, eq(works.id, runs.id)).where(and(eq(runs.id, id), eq(runs.organisationId, organisationId)));
  if (!row) return null;
  const steps = await db.select().from(runSteps).where(eq(runSteps.runId, id)).orderBy(asc(runSteps.stepId));
  const confirmed = await db.select().from(confirmations).where(eq(confirmations.runId, id));
  return { run: { ...row.run, work: row.work }, steps, confirmed };
}

/** Steps of several runs. */
export async function loadSteps(db: Database, runIds: readonly string[]): Promise<RunStepView[]> {
  return runIds.length === 0 ? [] : db.select().from(runSteps).where(inArray(runSteps.runId, [...runIds]));
}

export function measured(run: RunView, steps: readonly RunStepView[]): MeasuredStep[] {
  const states = new Map(steps.map((s) => [s.stepId, s]));
  return run.plan.steps.map((p) => {
    const s = states.get(p.id);
    return { id: p.id, kind: p.kind, service: p.service, machine: p.machine, state: s?.state ?? "waiting", startedAt: s?.startedAt ?? null, finishedAt: s?.finishedAt ?? null };
  });
}

export type ServiceResult = { service: string; grade: Grade; measuredSeconds: number | null; lossSeconds: number | null };

/** What a run proved for each of its services. */
export function serviceResults(run: RunView, steps: readonly RunStepView[], confirmed: ReadonlySet<string>, machinesOf: (service: string) => readonly string[]): ServiceResult[] {
  const all = measured(run, steps);
  return run.plan.services
    .filter((s) => s.state === "returns")
    .map((s) => ({
      service: s.service,
      grade: gradeReached(all, s.service, machinesOf(s.service), confirmed.has(s.service)),
      measuredSeconds: run.work.beganAt === null ? null : measuredServiceable(all, s.service, run.work.beganAt),
      lossSeconds: s.lossSeconds,
    }));
}

export type LastProof = { run: string; number: number; at: number; seconds: number; grade: Grade; lost: string[] };

/** The newest rehearsal in which each service answered: seconds from the declaration to serviceable. */
export async function lastProofs(db: Database, organisationId: string, machinesOf: (service: string) => readonly string[]): Promise<Map<string, LastProof>> {
  const all = (await listRuns(db, organisationId)).slice(0, 50);
  if (all.length === 0) return new Map();
  const ids = all.map((r) => r.id);
  const steps = await loadSteps(db, ids);
  const confirmed = await db.select().from(confirmations).where(inArray(confirmations.runId, ids));
  const proofs = new Map<string, LastProof>();
  for (const run of all) {
    const mine = new Set(confirmed.filter((c) => c.runId === run.id).map((c) => c.serviceId));
    for (const result of serviceResults(run, steps.filter((s) => s.runId === run.id), mine, machinesOf)) {
      if (result.measuredSeconds === null || proofs.has(result.service)) continue;
      proofs.set(result.service, { run: run.id, number: run.number, at: run.work.beganAt!, seconds: result.measuredSeconds, grade: result.grade, lost: run.plan.lost });
    }
  }
  return proofs;
}
