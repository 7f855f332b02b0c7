import { byId } from "#core/estate/model.ts";
import { lossName } from "#core/outage/question.ts";
import { listWords } from "#core/wording/amounts.ts";
import type { Application } from "#server/application.ts";
import { loadEstate } from "#server/db/queries/estate.ts";
import { listRuns, loadSteps, serviceResults } from "#server/db/queries/runs.ts";
import { lastAudit } from "#server/db/queries/work.ts";
import { resultWords } from "../../runs/run-page.ts";

const AUDIT_SHOWN = 100;

/** All runs with what came of them, and the newest of the audit trail. */
export async function readRecords(app: Application, organisationId: string) {
  const { db } = app.connection;
  const [runs, estate, audit] = await Promise.all([listRuns(db, organisationId), loadEstate(db, organisationId), lastAudit(db, organisationId, AUDIT_SHOWN)]);
  const services = byId(estate?.services ?? []);
  const steps = await loadSteps(db, runs.map((r) => r.id));
  return {
    runs: runs.map((run) => {
      const results = serviceResults(run, steps.filter((s) => s.runId === run.id), new Set(), (s) => services.get(s)?.machines ?? []);
      const answered = results.filter((r) => r.measuredSeconds !== null).length;
      return { id: run.id, number: run.number, beganAt: run.work.beganAt, lost: estate ? listWords(run.plan.lost.map((id) => lossName(estate, id))) : run.plan.lost.join(", "), who: run.work.personName, why: run.work.reason, enclave: run.enclave, result: resultWords(run, answered) };
    }),
    audit: audit.map((a) => ({ id: a.id, wallAt: a.wallAt.getTime(), modelAt: a.modelAt, who: a.personName, act: a.act, subject: a.subject, reason: a.reason })),
  };
}
