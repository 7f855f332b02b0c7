import { recoveryCopies } from "../copies/common-instant.ts";
import type { CopyFact } from "../copies/copy-fact.ts";
import { byId, type Estate, type MachineId, type Service, type ServiceId, type StoreId } from "../estate/model.ts";
import { resourceWords } from "../estate/resources.ts";
import { outageOf, serviceStates } from "../outage/closure.ts";
import { lossName } from "../outage/question.ts";
import { checkStep, CoordinatorLostError, generateRunbook } from "../runbook/generate.ts";
import type { TimedRunbook } from "../runbook/runbook.ts";
import { chainTo, type TimedStep } from "../timeline/simulate.ts";
import { durationWords, listWords } from "../wording/amounts.ts";

/** Less than this share of a target left counts as tight (our own choice; shown with the verdict). */
export const TIGHT_SHARE = 0.1;

export type Verdict = "stays-up" | "in-time" | "tight" | "late" | "loses-too-much" | "late-and-loses-too-much" | "cannot-return";

export type Loss = { seconds: number; machine: MachineId; capturedAt: number; stores: StoreId[]; predicted: boolean };

/** One link of what decides when a service is serviceable. */
export type ChainLink = { step: string; title: string; start: number; finish: number; waited: number; waitedFor: string | null };

/** Seconds from the strike. */
export type Stretch = { detected: number; declared: number; coordinatorReady: number; serviceable: number };

export type ServiceReadiness = {
  service: ServiceId;
  name: string;
  tier: number;
  owner: string;
  rto: number;
  rpo: number;
  mtd: number | null;
  wrt: number;
  verdict: Verdict;
  /** The verdict in a sentence with its reason. */
  sentence: string;
  reasons: string[];
  loss: Loss | null;
  recovery: Stretch | null;
};

export type Readiness = {
  at: number;
  lost: string[];
  services: ServiceReadiness[];
  runbook: TimedRunbook | null;
  /** Why there is no runbook at all. */
  noRunbook: string | null;
  headline: string;
};

/** How every service would fare if the given things were lost at the given moment. */
export function assessReadiness(estate: Estate, facts: readonly CopyFact[], lost: readonly string[], at: number, now = at): Readiness {
  const outage = outageOf(estate, lost);
  const states = serviceStates(estate, outage);
  let runbook: TimedRunbook | null = null;
  let noRunbook: string | null = null;
  try {
    runbook = generateRunbook(estate, facts, { lost, at, purpose: "failover" });
  } catch (error) {
    if (!(error instanceof CoordinatorLostError)) throw error;
    noRunbook = error.message;
  }
  const copiesOf = recoveryCopies(estate, facts, at, outage.stores, outage.machines);
  const heaviest = runbook ? heaviestOf(runbook) : new Map<string, Heaviest>();
  const services = estate.services.map((service): ServiceReadiness => {
    const common = { service: service.id, name: service.name, tier: service.tier, owner: service.owner, rto: service.rto, rpo: service.rpo, mtd: service.mtd, wrt: service.wrt };
    const state = states.get(service.id)!;
    const none = { loss: null, recovery: null };
    if (state.kind !== "down") {
      const sentence = state.kind === "up" ? "stays up" : `stays up, impaired: ${state.because}`;
      return { ...common, ...none, verdict: "stays-up", sentence, reasons: state.kind === "up" ? [] : [state.because] };
    }
    const loss = worstLoss(service, outage.machines, copiesOf, at);
    const plan = runbook?.services.get(service.id);
    if (!runbook || plan?.kind !== "returns") {
      const reason = plan?.kind === "cannot" ? plan.reason : (noRunbook ?? state.because);
      return { ...common, ...none, loss, verdict: "cannot-return", sentence: `cannot return: ${reason}`, reasons: plan?.kind === "cannot" ? plan.details : [reason] };
    }
    const finish = (id: string): number => runbook.timeline.steps.get(id)?.finish ?? runbook.timeline.steps.get("declare")!.finish;
    const recovery: Stretch = { detected: finish("detect"), declared: finish("declare"), coordinatorReady: finish("return-coordinator"), serviceable: finish(checkStep(service.id)) };
    return { ...common, loss, recovery, ...judge(estate, service, loss, recovery, deciding(estate, runbook, heaviest.get(checkStep(service.id))!), at) };
  });
  return { at, lost: [...lost], services, runbook, noRunbook, headline: headline(estate, services, lost, at, now) };
}

/** The worst exposure of the lost machines a service needs; null where none is lost. A machine without any copy loses everything and is judged as one that cannot return. */
function worstLoss(service: Service, lostMachines: ReadonlySet<MachineId>, copiesOf: (machine: MachineId) => CopyFact[], at: number): Loss | null {
  let worst: Loss | null = null;
  for (const machine of service.machines) {
    if (!lostMachines.has(machine)) continue;
    const copies = copiesOf(machine);
    const [first] = copies;
    if (!first) return null;
    const seconds = (at - first.capturedAt) / 1000;
    if (!worst || seconds > worst.seconds) worst = { seconds, machine, capturedAt: first.capturedAt, stores: copies.map((c) => c.store), predicted: first.state === "predicted" };
  }
  return worst;
}

function judge(
  estate: Estate,
  service: Service,
  loss: Loss | null,
  recovery: Stretch,
  why: { short: string; reasons: string[] },
  at: number,
): Pick<ServiceReadiness, "verdict" | "sentence" | "reasons"> {
  const machines = byId(estate.machines);
  const late = recovery.serviceable - service.rto;
  const over = (loss?.seconds ?? 0) - service.rpo;
  const reasons: string[] = [];
  const group = loss && estate.groups.find((g) => g.machines.includes(loss.machine));
  if (loss) reasons.push(`The newest copy of ${machines.get(loss.machine)!.name} that survives${group ? ` and agrees with the others of ${group.name}` : ""} is ${durationWords((at - loss.capturedAt) / 1000)} old, in ${listWords(estate.stores.filter((s) => loss.stores.includes(s.id)).map((s) => s.name))}${loss.predicted ? " (by schedule)" : ""}.`);
  reasons.push(...why.reasons);
  if (service.mtd !== null && recovery.serviceable + service.wrt > service.mtd) reasons.push(`Serviceable after ${durationWords(recovery.serviceable)} and ${durationWords(service.wrt)} of work to recover pass the MTD of ${durationWords(service.mtd)}.`);
  // What passes a target by less than can be counted passes it still.
  const pastWords = (seconds: number): string => (seconds < 0.5 ? "less than a second" : durationWords(seconds));
  const lateWords = `${pastWords(late)} late: ${why.short}`;
  const lossWords = `loses ${pastWords(over)} too much: ${loss ? machines.get(loss.machine)!.name : ""} was copied ${durationWords(loss?.seconds ?? 0)} before`;
  if (late > 0 && over > 0) return { verdict: "late-and-loses-too-much", sentence: `loses ${pastWords(over)} too much; ${lateWords}`, reasons };
  if (late > 0) return { verdict: "late", sentence: lateWords, reasons };
  if (over > 0) return { verdict: "loses-too-much", sentence: lossWords, reasons };
  if (-late < service.rto * TIGHT_SHARE) return { verdict: "tight", sentence: `tight: ${durationWords(-late)} before its RTO; ${why.short}`, reasons };
  if (-over < service.rpo * TIGHT_SHARE) return { verdict: "tight", sentence: `tight: ${durationWords(-over)} before its RPO`, reasons };
  return { verdict: "in-time", sentence: `in time: ${durationWords(-late)} to spare`, reasons };
}

/** The critical chain of a service in words, with the waits that stand in it; empty where it does not return. */
export function chainOf(estate: Estate, runbook: TimedRunbook | null, service: ServiceId): ChainLink[] {
  if (!runbook?.timeline.steps.has(checkStep(service))) return [];
  const steps = byId(runbook.steps);
  return chainTo(runbook.timeline, checkStep(service)).map((step: TimedStep) => ({
    step: step.id,
    title: steps.get(step.id)!.title,
    start: step.start,
    finish: step.finish,
    waited: step.start - step.ready,
    waitedFor: step.reason.kind === "resource" ? resourceWords(estate, step.reason.resource) : null,
  }));
}

/** What weighs most in the chain to a step: its longest step, its longest wait for a resource, the steps before any service's. */
type Heaviest = { longest: TimedStep; wait: TimedStep | null; opening: TimedStep[] };

/**
 * Of every step. Chains share their beginnings and may be as long as there are services, so each is
 * told from the one that it continues, not walked anew: linear in the steps.
 */
function heaviestOf(runbook: TimedRunbook): Map<string, Heaviest> {
  const found = new Map<string, Heaviest>();
  const ofService = new Map(runbook.steps.map((s) => [s.id, s.service !== null]));
  const waited = (step: TimedStep): number => step.start - step.ready;
  const length = (step: TimedStep): number => step.finish - step.start;
  for (const id of runbook.timeline.steps.keys())
    for (const step of unknownTo(runbook, found, id)) {
      const before = step.reason.kind === "start" ? undefined : found.get(step.reason.kind === "after" ? step.reason.step : step.reason.freedBy);
      const waits = step.reason.kind === "resource" && (!before?.wait || waited(step) > waited(before.wait));
      found.set(step.id, {
        longest: before && length(step) <= length(before.longest) ? before.longest : step,
        wait: waits ? step : (before?.wait ?? null),
        opening: ofService.get(step.id) ? (before?.opening ?? []) : [...(before?.opening ?? []), step],
      });
    }
  return found;
}

/** The part of a chain that is not known yet, in its order. */
function unknownTo(runbook: TimedRunbook, known: ReadonlyMap<string, unknown>, id: string): TimedStep[] {
  const chain: TimedStep[] = [];
  for (let at: string | undefined = id; at !== undefined && !known.has(at); ) {
    const step: TimedStep = runbook.timeline.steps.get(at)!;
    chain.push(step);
    at = step.reason.kind === "after" ? step.reason.step : step.reason.kind === "resource" ? step.reason.freedBy : undefined;
  }
  return chain.reverse();
}

function deciding(estate: Estate, runbook: TimedRunbook, { longest, wait, opening }: Heaviest): { short: string; reasons: string[] } {
  const steps = byId(runbook.steps);
  const title = (step: TimedStep): string => lowerFirst(steps.get(step.id)!.title);
  const length = longest.finish - longest.start;
  const waited = wait ? wait.start - wait.ready : 0;
  const openingSeconds = opening.at(-1)?.finish ?? 0;
  const waitedFor = wait?.reason.kind === "resource" ? resourceWords(estate, wait.reason.resource) : "";
  const reasons = [
    ...(opening.length > 0 ? [`${durationWords(openingSeconds)} pass before anything can be brought back: ${opening.map((s) => `${title(s)} ${durationWords(s.finish - s.start)}`).join(", ")}.`] : []),
    ...(wait ? [`Waits ${durationWords(waited)} for ${waitedFor} (${title(wait)}).`] : []),
    `The longest step on its way: ${title(longest)}, ${durationWords(length)}.`,
  ];
  if (waited > length) return { short: `waits ${durationWords(waited)} for ${waitedFor}`, reasons };
  if (openingSeconds > length) return { short: `${durationWords(openingSeconds)} pass until the coordinator can begin`, reasons };
  return { short: `${title(longest)} takes ${durationWords(length)}`, reasons };
}

const lowerFirst = (text: string): string => text.slice(0, 1).toLowerCase() + text.slice(1);

/** Verdicts under which a service keeps its targets. */
export const KEEPS_TARGETS: readonly Verdict[] = ["in-time", "tight", "stays-up"];

function headline(estate: Estate, services: readonly ServiceReadiness[], lost: readonly string[], at: number, now: number): string {
  const names = lost.map((id) => lossName(estate, id)).join(" and ");
  const well = services.filter((s) => KEEPS_TARGETS.includes(s.verdict)).length;
  if (services.length === 0) return "No services are described yet.";
  if (lost.length === 0) return "Nothing is assumed lost.";
  const were = lost.length > 1 ? "were" : "was";
  if (at < now - 1000) return `Had ${names} been lost then, ${well} of ${services.length} services would have kept their targets.`;
  return at > now + 1000 ? `If ${names} ${were} lost then, ${well} of ${services.length} services would keep their targets.` : `If ${names} were lost now, ${well} of ${services.length} services would keep their targets.`;
}
