import { and, eq, sql } from "drizzle-orm";
import { bringBackStream } from "#engine/bring-back.ts";
import { EngineError, isEngineError } from "#engine/errors.ts";
import { readCatalogue } from "#engine/points/catalogue.ts";
import { readConfig } from "#engine/points/point.ts";
import type { PointId } from "#engine/points/publication.ts";
import { pageReader } from "#engine/reading.ts";
import type { SlicePort } from "#engine/slices.ts";
import type { Vault } from "#engine/vault.ts";
import { examine } from "#engine/verify.ts";
import { listWords, sizeWords } from "#core/wording/amounts.ts";
import { type Database, isDatabaseDown } from "../db/connect.ts";
import { CHANGE_CHANNEL, type Runner } from "../jobs/coordinator.ts";
import type { Flow } from "../jobs/flow.ts";
import { markDamaged } from "../db/queries/copies.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { runs, runSteps } from "../db/schema.ts";
import type { Platform } from "../platforms/platform.ts";
import { WorldError } from "../platforms/standin.ts";
import type { StoreBook } from "../stores/store-book.ts";
import { nextSteps, type StepState } from "./next-steps.ts";
import type { PlannedStep, RunPlan } from "./run-plan.ts";

export type RunTools = { db: Database; platform: Platform; stores: StoreBook };

/** Steps that people do are ticked by hand or carried out by the stand-in crew. */
type Carrying = RunTools & { flow: Flow; runId: string; organisationId: string; plan: RunPlan; byHand: boolean };

/**
 * Carries out a rehearsal in an enclave named after the run. What has happened stands in the
 * steps' rows; after a kill, steps that are done are left alone and those under way are taken up
 * behind the last gate they passed.
 */
export const carryOutRun =
  ({ db, platform, stores }: RunTools): Runner =>
  async (flow, work) => {
    const [run] = await db.select().from(runs).where(eq(runs.id, work.id));
    if (!run) throw new EngineError("missing", "The run's plan is gone");
    const c: Carrying = { db, platform, stores, flow, runId: work.id, organisationId: work.organisationId, plan: run.plan, byHand: run.byHand };
    const rows = await db.select().from(runSteps).where(eq(runSteps.runId, work.id));
    const states = new Map<string, StepState>(rows.map((row) => [row.stepId, row.state]));
    for (const [id, state] of states) if (state === "hand") states.set(id, "running");
    const startedAt = new Map(rows.map((row) => [row.stepId, row.startedAt]));
    const begun = new Set<string>();

    const advance = async (): Promise<void> => {
      const { start, skip } = nextSteps(c.plan, states);
      const again = c.plan.steps.filter((step) => states.get(step.id) === "running" && !begun.has(step.id));
      for (const step of [...again, ...start]) {
        states.set(step.id, "running");
        begun.add(step.id);
      }
      // Decided before anything is waited for: branches that end side by side must not start a step twice.
      for (const { step } of skip) states.set(step.id, "skipped");
      for (const { step, because } of skip) await note(c, step.id, { state: "skipped", detail: `not begun: ${because}`, finishedAt: flow.now });
      await flow.all(
        [...again, ...start].map((step) => async () => {
          if (startedAt.get(step.id) === null || startedAt.get(step.id) === undefined) await note(c, step.id, { state: "running", startedAt: flow.now });
          states.set(step.id, await attempt(c, step));
          await advance();
        }),
      );
    };
    await advance();
  };

async function note(c: Carrying, stepId: string, values: Partial<typeof runSteps.$inferInsert>): Promise<void> {
  await c.db.update(runSteps).set(values).where(and(eq(runSteps.runId, c.runId), eq(runSteps.stepId, stepId)));
  await c.db.execute(sql`select pg_notify(${CHANGE_CHANNEL}, 'run')`);
}

/** One step from its start to its end; a failure is a sentence in its row, and what does not depend on it goes on. */
async function attempt(c: Carrying, step: PlannedStep): Promise<"done" | "failed"> {
  try {
    const { detail, finishedAt, substitutions = [] } = await carryOutStep(c, step);
    await note(c, step.id, { state: "done", detail, finishedAt, substitutions });
    return "done";
  } catch (error) {
    if (isEngineError(error, "stopped") || isDatabaseDown(error) || (error instanceof WorldError && error.kind === "unreachable")) throw error;
    await note(c, step.id, { state: "failed", detail: error instanceof Error ? error.message : String(error), finishedAt: c.flow.now });
    return "failed";
  }
}

type StepOutcome = { detail: string; finishedAt: number; substitutions?: string[] };

async function carryOutStep(c: Carrying, step: PlannedStep): Promise<StepOutcome> {
  const { plan, flow, runId: enclave } = c;
  const act = async (action: Parameters<typeof flow.gate>[1] & { kind: "act" }): Promise<StepOutcome> => {
    const { instant, result } = await flow.gate(`${step.id}/act`, action);
    if (!result.ok) throw new EngineError("refused", result.detail);
    return { detail: result.detail, finishedAt: instant };
  };
  const machine = plan.machines.find((m) => m.machine === step.machine);
  switch (step.kind) {
    case "prepare": {
      const vaults = await Promise.all(machine!.stores.map((s) => c.stores.vault(c.organisationId, s)));
      const config = await readConfig({ getBlob: pageReader(vaults) }, machine!.point as PointId);
      const disks = (config.machine?.["disks"] as { id: string; size: number }[] | undefined) ?? [];
      const done = await act({ kind: "act", action: { type: "prepare", enclave, machine: machine!.machine, host: machine!.host, disks: disks.map((d) => ({ id: d.id, bytes: d.size })) } });
      return { ...done, detail: `made with ${listWords(disks.map((d) => `${d.id} ${sizeWords(d.size)}`))}` };
    }
    case "retrieve": {
      // The store says how long it takes until what is asked for can be read.
      const seconds = step.work.kind === "fixed" ? step.work.seconds : 0;
      const { instant } = await flow.gate(`${step.id}/act`, { kind: "wake", at: flow.now + seconds * 1000 });
      return { detail: "asked for, and readable by now", finishedAt: instant };
    }
    case "bring-back":
      return bringMachineBack(c, step);
    case "boot":
      return act({ kind: "act", action: { type: "boot", enclave, machine: machine!.machine } });
    case "switch-names": {
      const estate = await loadEstate(c.db, c.organisationId);
      const service = estate!.services.find((s) => s.id === step.service)!;
      const name = service.serviceName;
      if (!c.byHand) return { ...(await act({ kind: "act", action: { type: "switch-name", enclave, name, machines: service.machines } })), detail: `${name} leads into the enclave, by the stand-in crew` };
      await note(c, step.id, { state: "hand" });
      const ticked = await flow.hand(`${step.id}/hand`);
      await act({ kind: "act", action: { type: "switch-name", enclave, name, machines: service.machines }, takes: 0 });
      return { detail: `${name} leads into the enclave, ${ticked.result.detail}`, finishedAt: ticked.instant };
    }
    case "check":
      return act({ kind: "act", action: { type: "check", enclave, service: step.service! } });
    case "tell": {
      const service = plan.services.find((s) => s.service === step.service)!;
      return { ...(await act({ kind: "act", action: { type: "tell", enclave, to: step.title.replace(/^Tell /, ""), text: `${service.name} is serviceable again (rehearsal).` } })), detail: "sent inside the enclave only" };
    }
    case "detect":
    case "declare":
    case "return-coordinator":
      throw new TypeError(`a rehearsal has no step ${step.kind}`);
  }
}

/** Brings a machine's disks back for real and compares them by digest with what was captured. */
async function bringMachineBack(c: Carrying, step: PlannedStep): Promise<StepOutcome> {
  const machine = c.plan.machines.find((m) => m.machine === step.machine)!;
  const vaults: Vault[] = await Promise.all(machine.stores.map((s) => c.stores.vault(c.organisationId, s)));
  const substituted = new Set<string>();
  const getPage = pageReader(vaults, (s) => substituted.add(`${s.what} was damaged in ${s.from}; ${s.used} was used`));
  const damagedStores = new Set<string>();
  const config = await readConfig({ getBlob: getPage }, machine.point as PointId);
  const uses = step.work.kind === "flow" ? step.work.uses : [];
  let finishedAt = c.flow.now;
  const port: SlicePort = {
    slice: async (key, bytes, write) => {
      finishedAt = await c.flow.moved(`${step.id}/${key}`, bytes, uses);
      return write();
    },
  };
  let compared = 0;
  let bytes = 0;
  try {
    for await (const entry of readCatalogue(config.catalogue, getPage)) {
      if (!entry.map) continue;
      const disk = entry.path.toString();
      const { realBlock } = config.scale;
      const done = await bringBackStream(
        vaults,
        { map: entry.map, scale: config.scale, key: disk, bytes: entry.bytes ?? 0 },
        {
          write: (blocks) => c.platform.writeDisk(c.runId, machine.machine, disk, blocks.map((b) => b.block), Buffer.concat(blocks.map((b) => b.bytes))),
          read: async (blocks) => {
            const all = await c.platform.readDisk(c.runId, machine.machine, disk, blocks);
            return blocks.map((_, i) => all.subarray(i * realBlock, (i + 1) * realBlock));
          },
        },
        port,
      );
      compared += done.compared;
      bytes += done.nominalBytes;
      for (const s of done.substitutions) {
        substituted.add(`${s.what} was damaged in ${s.from}; ${s.used} was used`);
        damagedStores.add(s.from);
      }
    }
  } catch (error) {
    if (!isEngineError(error, "damaged") && !isEngineError(error, "missing")) throw error;
    const captured = new Date(config.capturedAt).toISOString().slice(0, 16).replace("T", " ");
    for (const store of machine.stores) await markDamaged(c.db, c.organisationId, store, [machine.point]);
    // The first fault ended it; the others are looked for, so that copying again sends all that is not whole.
    for (const vault of vaults) await examine(vault, config, getPage).catch(() => undefined);
    throw new EngineError(error.kind, `The point of ${machine.machine} of ${captured} UTC is whole in none of ${listWords(machine.stores)} (${error.message}). Copy the machine again, or rehearse with the needle before it, at an older point.`, error.data, { cause: error });
  }
  for (const store of damagedStores) await markDamaged(c.db, c.organisationId, store, [machine.point]);
  return { detail: `${sizeWords(bytes)} brought back; ${compared} blocks compared by digest with what was captured`, finishedAt, substitutions: [...substituted] };
}
