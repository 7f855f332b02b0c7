import { recoveryCopies } from "../copies/common-instant.ts";
import type { CopyFact } from "../copies/copy-fact.ts";
import { byId, type Estate, type MachineId, type Service, type ServiceId, type StoreId } from "../estate/model.ts";
import { resourceWords } from "../estate/resources.ts";
import { outageOf, serviceStates } from "../outage/closure.ts";
import { lossName } from "../outage/question.ts";
import { checkStep, CoordinatorLostError, generateRunbook } from "../runbook/generate.ts";
import type { RunbookStep, TimedRunbook } from "../runbook/runbook.ts";
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
  chain: ChainLink[];
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
  const services = estate.services.map((service): ServiceReadiness => {
    const common = { service: service.id, name: service.name, tier: service.tier, owner: service.owner, rto: service.rto, rpo: service.rpo, mtd: service.mtd, wrt: service.wrt };
    const state = states.get(service.id)!;
    const none = { loss: null, recovery: null, chain: [] };
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
    const chain = chainOf(estate, runbook, checkStep(service.id));
    const finish = (id: string): number => runbook.timeline.steps.get(id)?.finish ?? runbook.timeline.steps.get("declare")!.finish;
    const recovery: Stretch = { detected: finish("detect"), declared: finish("declare"), coordinatorReady: finish("return-coordinator"), serviceable: finish(checkStep(service.id)) };
    return { ...common, loss, recovery, chain, ...judge(estate, service, loss, recovery, chain, runbook, at) };
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
  chain: readonly ChainLink[],
  runbook: TimedRunbook,
  at: number,
): Pick<ServiceReadiness, "verdict" | "sentence" | "reasons"> {
  const machines = byId(estate.machines);
  const late = recovery.serviceable - service.rto;
  const over = (loss?.seconds ?? 0) - service.rpo;
  const why = deciding(chain, runbook);
  const reasons: string[] = [];
  const group = loss && estate.groups.find((g) => g.machines.includes(loss.machine));
  if (loss) reasons.push(`The newest copy of ${machines.get(loss.machine)!.name} that survives${group ? ` and agrees with the others of ${group.name}` : ""} is ${durationWords((at - loss.capturedAt) / 1000)} old, in ${listWords(estate.stores.filter((s) => loss.stores.includes(s.id)).map((s) => s.name))}${loss.predicted ? " (by schedule)" : ""}.`);
  reasons.push(...why.reasons);
  if (service.mtd !== null && recovery.serviceable + service.wrt > service.mtd) reasons.push(`Serviceable after ${durationWords(recovery.serviceable)} and ${durationWords(service.wrt)} of work to recover pass the MTD of ${durationWords(service.mtd)}.`);
  const lateWords = `${durationWords(late)} late: ${why.short}`;
  const lossWords = `loses ${durationWords(over)} too much: ${loss ? machines.get(loss.machine)!.name : ""} was copied ${durationWords(loss?.seconds ?? 0)} before`;
  if (late > 0 && over > 0) return { verdict: "late-and-loses-too-much", sentence: `loses ${durationWords(over)} too much; ${lateWords}`, reasons };
  if (late > 0) return { verdict: "late", sentence: lateWords, reasons };
  if (over > 0) return { verdict: "loses-too-much", sentence: lossWords, reasons };
  if (-late < service.rto * TIGHT_SHARE) return { verdict: "tight", sentence: `tight: ${durationWords(-late)} before its RTO; ${why.short}`, reasons };
  if (-over < service.rpo * TIGHT_SHARE) return { verdict: "tight", sentence: `tight: ${durationWords(-over)} before its RPO`, reasons };
  return { verdict: "in-time", sentence: `in time: ${durationWords(-late)} to spare`, reasons };
}

/** The critical chain in words, with the waits that stand in it. */
function chainOf(estate: Estate, runbook: TimedRunbook, id: string): ChainLink[] {
  const titles = new Map(runbook.steps.map((step) => [step.id, step.title]));
  return chainTo(runbook.timeline, id).map((step: TimedStep) => ({
    step: step.id,
    title: titles.get(step.id)!,
    start: step.start,
    finish: step.finish,
    waited: step.start - step.ready,
    waitedFor: step.reason.kind === "resource" ? resourceWords(estate, step.reason.resource) : null,
  }));
}

/** What weighs most in a chain: a wait, or the longest step. */
function deciding(chain: readonly ChainLink[], runbook: TimedRunbook): { short: string; reasons: string[] } {
  const steps = new Map<string, RunbookStep>(runbook.steps.map((s) => [s.id, s]));
  const longest = [...chain].sort((a, b) => b.finish - b.start - (a.finish - a.start))[0]!;
  const wait = [...chain].filter((l) => l.waitedFor).sort((a, b) => b.waited - a.waited)[0];
  const opening = chain.filter((l) => steps.get(l.step)!.service === null);
  const openingSeconds = opening.at(-1)?.finish ?? 0;
  const reasons = [
    ...(opening.length > 0 ? [`${durationWords(openingSeconds)} pass before anything can be brought back: ${opening.map((l) => `${lowerFirst(l.title)} ${durationWords(l.finish - l.start)}`).join(", ")}.`] : []),
    ...(wait ? [`Waits ${durationWords(wait.waited)} for ${wait.waitedFor} (${lowerFirst(wait.title)}).`] : []),
    `The longest step on its way: ${lowerFirst(longest.title)}, ${durationWords(longest.finish - longest.start)}.`,
  ];
  if (wait && wait.waited > longest.finish - longest.start) return { short: `waits ${durationWords(wait.waited)} for ${wait.waitedFor}`, reasons };
  if (openingSeconds > longest.finish - longest.start) return { short: `${durationWords(openingSeconds)} pass until the coordinator can begin`, reasons };
  return { short: `${lowerFirst(longest.title)} takes ${durationWords(longest.finish - longest.start)}`, reasons };
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
