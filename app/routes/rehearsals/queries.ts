import { byId } from "#core/estate/model.ts";
import { outageOf, serviceStates } from "#core/outage/closure.ts";
import { lossName } from "#core/outage/question.ts";
import { checkStep } from "#core/runbook/generate.ts";
import { listWords } from "#core/wording/amounts.ts";
import type { Application } from "#server/application.ts";
import { listRuns } from "#server/db/queries/runs.ts";
import { outlook } from "#server/outlook.ts";
import { planRehearsal } from "#server/runs/plan-run.ts";
import { readRun } from "../../runs/run-page.ts";

/** What could be rehearsed for the needle and the loss, and the run whose enclave is kept, if there is one. */
export async function readRehearsals(app: Application, organisationId: string, asked: { at: string | null; lost: string[] }, chosen: string[]) {
  const view = await outlook(app, organisationId, asked);
  if (!view) return null;
  const { estate, lost, now } = view;
  const runs = await listRuns(app.connection.db, organisationId);
  const open = runs.find((r) => r.enclave === "kept");
  const current = open ? await readRun(app, organisationId, open.id) : null;
  const at = Math.min(view.at, now);
  const real = view.facts.filter((f) => f.state !== "predicted");
  const states = serviceStates(estate, outageOf(estate, lost));
  const down = estate.services.filter((s) => states.get(s.id)!.kind === "down");
  const known = chosen.filter((id) => estate.services.some((s) => s.id === id));
  const wanted = known.length > 0 ? known : down.map((s) => s.id);
  const services = byId(estate.services);
  const hosts = byId(estate.hosts);
  const proposal = wanted.length > 0 ? planRehearsal(estate, real, { lost, at, services: wanted }) : null;
  return {
    now,
    at,
    ahead: view.at > now,
    lost,
    lostNames: listWords(lost.map((id) => lossName(estate, id))),
    current,
    others: runs.filter((r) => r.id !== open?.id).slice(0, 20).map((r) => ({ id: r.id, number: r.number, beganAt: r.work.beganAt, lost: listWords(r.plan.lost.map((id) => lossName(estate, id))), state: r.work.state, why: r.work.reason })),
    choices: [...estate.services].sort((a, b) => a.tier - b.tier).map((s) => ({ id: s.id, name: s.name, tier: s.tier, down: states.get(s.id)!.kind === "down", chosen: wanted.includes(s.id) })),
    proposal: proposal && {
      end: proposal.runbook.timeline.end,
      notes: proposal.plan.notes,
      services: proposal.plan.services.map((s) => ({
        id: s.service,
        name: s.name,
        asked: wanted.includes(s.service),
        alive: states.get(s.service)!.kind !== "down",
        reason: s.reason,
        serviceable: proposal.runbook.timeline.steps.get(checkStep(s.service))?.finish ?? null,
        machines: services.get(s.service)!.machines.flatMap((m) => {
          const plan = proposal.runbook.machines.get(m);
          return plan ? [{ id: m, host: hosts.get(plan.host)!.name, capturedAt: plan.capturedAt, bytes: plan.dataBytes }] : [];
        }),
      })),
    },
  };
}
