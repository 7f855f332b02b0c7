import { byId } from "#core/estate/model.ts";
import { lossName } from "#core/outage/question.ts";
import { GRADE_WORDS } from "#core/runbook/proof.ts";
import { countWords, durationWords, listWords } from "#core/wording/amounts.ts";
import type { Application } from "#server/application.ts";
import { loadEstate } from "#server/db/queries/estate.ts";
import { loadRun, type RunView, serviceResults } from "#server/db/queries/runs.ts";

export type RunPage = NonNullable<Awaited<ReturnType<typeof readRun>>>;

const UNDER_WAY = ["waiting", "running", "stopping"];

/** One run with everything that was projected and measured; null where the organisation has no such run. */
export async function readRun(app: Application, organisationId: string, id: string) {
  const [found, estate] = await Promise.all([loadRun(app.connection.db, organisationId, id), loadEstate(app.connection.db, organisationId)]);
  if (!found || !estate) return null;
  const { run, steps, confirmed } = found;
  const services = byId(estate.services);
  const stores = byId(estate.stores);
  const hosts = byId(estate.hosts);
  const machinesOf = (s: string): readonly string[] => services.get(s)?.machines ?? [];
  const results = new Map(serviceResults(run, steps, new Set(confirmed.map((c) => c.serviceId)), machinesOf).map((r) => [r.service, r]));
  const rows = new Map(steps.map((s) => [s.stepId, s]));
  const opening = run.plan.before.detection + run.plan.before.decision + run.plan.before.coordinator;
  const underWay = UNDER_WAY.includes(run.work.state);
  const enclave = run.enclave === "kept" ? await app.world.enclave(run.id).catch(() => null) : null;
  return {
    id: run.id,
    number: run.number,
    state: run.work.state,
    underWay,
    failure: run.work.failure,
    beganAt: run.work.beganAt,
    endedAt: underWay ? null : run.work.endedAt,
    beganWall: run.work.createdAt.toISOString(),
    who: run.work.personName,
    why: run.work.reason,
    byHand: run.byHand,
    enclaveState: run.enclave,
    enclave: enclave && { machines: enclave.machines.map((m) => ({ ...m, host: hosts.get(m.host)?.name ?? m.host })), names: enclave.names, messages: enclave.messages },
    struckAt: run.plan.at,
    lost: run.plan.lost.map((l) => lossName(estate, l)),
    notes: run.plan.notes,
    before: run.plan.before,
    opening,
    services: run.plan.services.map((s) => {
      const result = results.get(s.service);
      const check = run.plan.steps.find((p) => p.kind === "check" && p.service === s.service);
      const measured = result?.measuredSeconds ?? null;
      return {
        service: s.service,
        name: s.name,
        state: s.state,
        reason: s.reason,
        asked: run.plan.asked.includes(s.service),
        rto: s.rto,
        rpo: s.rpo,
        lossSeconds: s.lossSeconds,
        projectedSeconds: check?.projectedFinish ?? null,
        measuredSeconds: measured,
        measuredWords: measured === null ? "" : durationWords(measured),
        fromStrike: measured === null ? null : measured + opening,
        grade: result?.grade ?? "none",
        gradeWords: GRADE_WORDS[result?.grade ?? "none"],
        confirmedBy: confirmed.find((c) => c.serviceId === s.service)?.byWhom ?? null,
      };
    }),
    machines: run.plan.machines.map((m) => ({ machine: m.machine, point: m.point, capturedAt: m.capturedAt, stores: m.stores.map((id) => stores.get(id)?.name ?? id), host: hosts.get(m.host)?.name ?? m.host, dataBytes: m.dataBytes })),
    steps: run.plan.steps.map((p) => {
      const row = rows.get(p.id);
      return { id: p.id, kind: p.kind, title: p.title, actor: p.actor, service: p.service, machine: p.machine, projectedStart: p.projectedStart, projectedFinish: p.projectedFinish, state: row?.state ?? "waiting", startedAt: row?.startedAt ?? null, finishedAt: row?.finishedAt ?? null, detail: row?.detail ?? "", substitutions: row?.substitutions ?? [], tickedBy: row?.tickedBy ?? null };
    }),
    title: runTitle(run, listWords(run.plan.lost.map((l) => lossName(estate, l)))),
    result: resultWords(run, [...results.values()].filter((r) => r.measuredSeconds !== null).length),
  };
}

export const runTitle = (run: RunView, lost: string): string => `Run ${run.number}: rehearsal of ${lost} lost`;

/** What came of a run, in a sentence. */
export function resultWords(run: RunView, answered: number): string {
  const all = run.plan.services.filter((s) => s.state === "returns").length;
  const cannot = run.plan.services.length - all;
  const refused = cannot > 0 ? `; ${countWords(cannot, "service")} could not be rehearsed` : "";
  switch (run.work.state) {
    case "waiting":
    case "running":
    case "stopping":
      return `Under way: ${answered} of ${countWords(all, "service")} answered so far${refused}.`;
    case "stopped":
      return `Stopped: ${answered} of ${countWords(all, "service")} answered before${refused}.`;
    case "failed":
    case "dropped":
      return `Broke off: ${run.work.failure ?? "it was given up"}.`;
    case "done":
      return answered === all ? `All ${countWords(all, "service")} answered from inside the enclave${refused}.` : `${answered} of ${countWords(all, "service")} answered from inside the enclave${refused}.`;
  }
}
