import type { CopyFact } from "#core/copies/copy-fact.ts";
import { byId, type Estate, type ServiceId } from "#core/estate/model.ts";
import { outageOf, serviceStates } from "#core/outage/closure.ts";
import { generateRunbook } from "#core/runbook/generate.ts";
import type { TimedRunbook } from "#core/runbook/runbook.ts";
import { plannedSteps, type RunPlan } from "./run-plan.ts";

export type RunProposal = { runbook: TimedRunbook; plan: RunPlan };

/** Plans the rehearsal of an outage, for all services it takes or for chosen ones. */
export function planRehearsal(estate: Estate, facts: readonly CopyFact[], request: { lost: string[]; at: number; services: ServiceId[] | undefined }): RunProposal {
  const runbook = generateRunbook(estate, facts, { ...request, purpose: "rehearsal", ...(request.services ? { services: request.services } : {}) });
  const outage = outageOf(estate, request.lost);
  const states = serviceStates(estate, outage);
  const services = byId(estate.services);
  const inRun = [...runbook.services.values()].flatMap((s): RunPlan["services"] => {
    if (s.kind === "stays") return [];
    const service = services.get(s.service)!;
    const ages = service.machines.flatMap((m) => {
      const plan = runbook.machines.get(m);
      return plan ? [(request.at - plan.capturedAt) / 1000] : [];
    });
    return [
      {
        service: s.service,
        name: service.name,
        state: s.kind,
        reason: s.kind === "cannot" ? s.reason : null,
        rto: service.rto,
        rpo: service.rpo,
        lossSeconds: s.kind === "returns" && ages.length > 0 ? Math.max(...ages) : null,
      },
    ];
  });
  const { detection, decision } = estate.assumptions;
  const plan: RunPlan = {
    at: request.at,
    lost: request.lost,
    purpose: "rehearsal",
    asked: request.services ?? estate.services.filter((s) => states.get(s.id)!.kind === "down").map((s) => s.id),
    steps: plannedSteps(runbook),
    units: Object.fromEntries(runbook.resources.units),
    machines: [...runbook.machines.values()],
    services: inRun,
    before: { detection, decision, coordinator: outage.coordinator ? estate.coordinator.returns.seconds : 0 },
    notes: runbook.notes,
  };
  return { runbook, plan };
}
