import { and, eq, inArray, isNull } from "drizzle-orm";
import { loadCopyFacts } from "../db/queries/copies.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { confirmations, runs, runSteps, works } from "../db/schema.ts";
import { CannotError } from "../people/roles.ts";
import { planRehearsal } from "../runs/plan-run.ts";
import { act, type ActContext } from "./act.ts";

export type RehearsalRequest = { lost: string[]; services: string[] | undefined; byHand: boolean; reason: string; at: number | null };

/** Begins the rehearsal of an outage; gives the run's id. */
export function startRehearsal(context: ActContext, request: RehearsalRequest): Promise<string> {
  return act(context, { act: "rehearsal begun", subject: request.lost.join(", "), reason: request.reason }, async (tx, modelAt) => {
    const { organisationId } = context.person;
    const estate = await loadEstate(tx, organisationId);
    if (!estate) throw new CannotError("There is no estate to rehearse yet");
    const kept = await tx.select({ number: runs.number }).from(runs).where(and(eq(runs.organisationId, organisationId), eq(runs.enclave, "kept")));
    if (kept.length > 0) throw new CannotError(`The enclave of run ${kept[0]!.number} is still kept and takes the room; release it first`);
    const at = request.at !== null && request.at < modelAt ? request.at : modelAt;
    const { plan } = planRehearsal(estate, await loadCopyFacts(tx, organisationId), { lost: request.lost, at, services: request.services });
    if (!plan.services.some((s) => s.state === "returns"))
      throw new CannotError(plan.services.length === 0 ? "Nothing is down in this outage, so there is nothing to rehearse" : `None of these can be rehearsed: ${plan.services.map((s) => `${s.name}: ${s.reason}`).join("; ")}`);
    const [work] = await tx.insert(works).values({ organisationId, kind: "run", subject: { kind: "run" }, foreground: true, personName: context.person.name, reason: request.reason }).returning();
    await tx.insert(runs).values({ id: work!.id, organisationId, plan, byHand: request.byHand });
    await tx.insert(runSteps).values(plan.steps.map((step) => ({ runId: work!.id, stepId: step.id })));
    return work!.id;
  });
}

/** A person says that a step is done. */
export function tickStep(context: ActContext, request: { run: string; step: string }): Promise<void> {
  return act(context, { act: "step ticked", subject: `${request.run} ${request.step}`, reason: "by hand" }, async (tx) => {
    await mine(tx, context, request.run);
    const ticked = await tx
      .update(runSteps)
      .set({ tickedBy: context.person.name })
      .where(and(eq(runSteps.runId, request.run), eq(runSteps.stepId, request.step), eq(runSteps.state, "hand"), isNull(runSteps.tickedBy)))
      .returning();
    if (ticked.length === 0) throw new CannotError("This step does not wait for a hand");
  });
}

/** Discards the enclave with its machines and disks; the record stays. */
export async function releaseEnclave(context: ActContext, run: string): Promise<void> {
  await act(context, { act: "enclave released", subject: run, reason: "by hand" }, async (tx) => {
    await mine(tx, context, run);
    const [work] = await tx.select({ state: works.state }).from(works).where(eq(works.id, run));
    if (work && ["waiting", "running", "stopping"].includes(work.state)) throw new CannotError("The run is still under way; stop it or let it end before its enclave is released");
    await context.app.world.discard(run);
    await tx.update(runs).set({ enclave: "discarded" }).where(eq(runs.id, run));
    // A discarded enclave cannot be gone on with.
    await tx.update(works).set({ state: "done" }).where(and(eq(works.id, run), inArray(works.state, ["stopped", "failed"])));
  });
}

/** Notes on whose word a service's data was confirmed. */
export function confirmData(context: ActContext, request: { run: string; service: string; byWhom: string }): Promise<void> {
  return act(context, { act: "data confirmed", subject: `${request.run} ${request.service}`, reason: `on the word of ${request.byWhom}` }, async (tx) => {
    await mine(tx, context, request.run);
    const [check] = await tx.select().from(runSteps).where(and(eq(runSteps.runId, request.run), eq(runSteps.stepId, `check/${request.service}`)));
    if (check?.state !== "done") throw new CannotError("The service has not answered in this run, so its data cannot have been looked at");
    await tx
      .insert(confirmations)
      .values({ runId: request.run, serviceId: request.service, byWhom: request.byWhom, notedBy: context.person.name })
      .onConflictDoUpdate({ target: [confirmations.runId, confirmations.serviceId], set: { byWhom: request.byWhom, notedBy: context.person.name } });
  });
}

async function mine(tx: ActContext["app"]["connection"]["db"], context: ActContext, run: string): Promise<void> {
  const [row] = await tx.select({ id: runs.id }).from(runs).where(and(eq(runs.id, run), eq(runs.organisationId, context.person.organisationId)));
  if (!row) throw new CannotError("There is no such run");
}
