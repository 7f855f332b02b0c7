import { type CopyFact, usableCopies } from "../copies/copy-fact.ts";
import { recoveryCopies } from "../copies/common-instant.ts";
import { byId, type Estate, type MachineId, type Service, type ServiceId, type StoreId } from "../estate/model.ts";
import { linkRateFrom } from "../estate/link-rate.ts";
import { estateResources } from "../estate/resources.ts";
import { CREW_UNITS, linkResource, poolResource, readResource, routeBetween, startUnits, streamUnits } from "../estate/route.ts";
import { isOrdered } from "../graph/loops.ts";
import { strongGroups } from "../graph/strong-groups.ts";
import { type Outage, outageOf, serviceStates } from "../outage/closure.ts";
import { freeRoom, placeService } from "../outage/placement.ts";
import { simulateTimeline } from "../timeline/simulate.ts";
import { durationWords, listWords, sizeWords } from "../wording/amounts.ts";
import type { MachinePlan, Runbook, RunbookStep, ServicePlan, TimedRunbook } from "./runbook.ts";

export type RunbookRequest = {
  lost: readonly string[];
  /** The strike. */
  at: number;
  purpose: Runbook["purpose"];
  /** Of a rehearsal: the services asked for; what they need comes along. Undefined: all that would be down. */
  services?: readonly ServiceId[];
};

/**
 * The failover runbook for an outage, or its rehearsal in an enclave: for every service that would
 * be down a place for its machines, the newest whole surviving points, and the steps in the order
 * of the dependencies. A rehearsal begins where the declaration would be made.
 */
export function generateRunbook(estate: Estate, facts: readonly CopyFact[], request: RunbookRequest): TimedRunbook {
  const outage = outageOf(estate, request.lost);
  const services = byId(estate.services);
  const notes: string[] = [];
  const wanted = wantedServices(estate, outage, request);
  const order = startOrder(estate, wanted, notes);
  const plans = planMachines(estate, facts, outage, request, order);
  const bare: BareStep[] = [];
  const begin = openingSteps(estate, outage, request, bare);
  const place = new Map(order.map((id, i) => [id, i]));
  const made = new Set<MachineId>();
  for (const id of order) if (plans.services.get(id)?.kind === "returns") serviceSteps(estate, outage, services.get(id)!, plans, place, begin, made, bare);
  prioritise(estate, bare, order);
  const steps = queueBehindBetter(bare);
  const resources = estateResources(estate, request.at);
  const runbook: Runbook = { at: request.at, lost: [...request.lost], purpose: request.purpose, steps, resources, machines: plans.machines, services: plans.services, notes };
  return { ...runbook, timeline: simulateTimeline(steps, resources) };
}

/** A step before its place in the queues is settled: it needs all it comes after. */
type BareStep = Omit<RunbookStep, "needs">;

/**
 * Restore streams go to what matters most, not to whichever machine happens to be made first: a
 * machine is brought back only once those of better priority from the same store have been made
 * (or have failed to be), so that they had the first choice of a stream.
 */
function queueBehindBetter(steps: readonly BareStep[]): RunbookStep[] {
  const bringing = steps.filter((s) => s.kind === "bring-back");
  return steps.map((step) => {
    if (step.kind !== "bring-back") return { ...step, needs: step.after };
    const better = bringing.filter((other) => other !== step && other.holds[0] === step.holds[0] && comparePriority(other.priority, step.priority) < 0);
    return { ...step, needs: step.after, after: [...step.after, ...better.map((other) => `prepare/${other.machine}`)] };
  });
}

export const checkStep = (service: ServiceId): string => `check/${service}`;

/** A failover brings back what is down; a rehearsal what was asked for and everything that needs to be beside it. */
function wantedServices(estate: Estate, outage: Outage, request: RunbookRequest): Set<ServiceId> {
  const states = serviceStates(estate, outage);
  const down = estate.services.filter((s) => states.get(s.id)!.kind === "down").map((s) => s.id);
  if (request.purpose === "failover") return new Set(down);
  const wanted = new Set<ServiceId>();
  const services = byId(estate.services);
  const add = (id: ServiceId): void => {
    if (wanted.has(id)) return;
    wanted.add(id);
    // Nothing outside the enclave can be reached from inside it: what is alive elsewhere is needed as a copy too.
    for (const { service, strength } of services.get(id)!.dependsOn) if (strength === "hard") add(service);
  };
  for (const id of request.services ?? down) add(id);
  return wanted;
}

/** Services after those they depend on; loops of hard dependencies start together and are told of. */
function startOrder(estate: Estate, wanted: ReadonlySet<ServiceId>, notes: string[]): ServiceId[] {
  const services = byId(estate.services);
  const ids = [...wanted].sort((a, b) => services.get(a)!.tier - services.get(b)!.tier || (a < b ? -1 : 1));
  const hard = (id: ServiceId): ServiceId[] => services.get(id)!.dependsOn.filter((d) => d.strength === "hard").map((d) => d.service);
  const all = (id: ServiceId): ServiceId[] => services.get(id)!.dependsOn.map((d) => d.service);
  const inOrder = (group: readonly ServiceId[]): ServiceId[] => [...group].sort((a, b) => (services.get(a)!.startOrder ?? Infinity) - (services.get(b)!.startOrder ?? Infinity) || 0);
  const names = (group: readonly ServiceId[]): string => listWords(group.map((id) => services.get(id)!.name));
  for (const group of strongGroups(ids, all)) {
    if (group.length < 2) continue;
    const tight = strongGroups(group, hard).filter((g) => g.length > 1);
    if (tight.length === 0) notes.push(`${names(group)} need each other; a soft dependency breaks the loop.`);
    else for (const loop of tight) notes.push(isOrdered(loop.map((id) => services.get(id)!)) ? `${names(inOrder(loop))} need each other; the stated order breaks the loop.` : `${names(loop)} need each other and nothing breaks the loop: they are started together.`);
  }
  return strongGroups(ids, hard).flatMap(inOrder);
}

type Plans = { machines: Map<MachineId, MachinePlan>; services: Map<ServiceId, ServicePlan> };

function planMachines(estate: Estate, facts: readonly CopyFact[], outage: Outage, request: RunbookRequest, order: readonly ServiceId[]): Plans {
  const plans: Plans = { machines: new Map(), services: new Map() };
  const services = byId(estate.services);
  const machines = byId(estate.machines);
  const hosts = byId(estate.hosts);
  const room = freeRoom(estate, outage);
  // A rehearsal brings whole groups to one instant, an outage those of their machines that it takes.
  const newest = recoveryCopies(estate, facts, request.at, outage.stores, request.purpose === "rehearsal" ? undefined : outage.machines);
  const storeSite = new Map(estate.stores.map((s) => [s.id, s.site]));
  const reachable = (id: MachineId, site: string): boolean => newest(id).some((f) => routeBetween(estate, storeSite.get(f.store)!, site, outage.links) !== undefined);

  for (const service of estate.services) if (!order.includes(service.id)) plans.services.set(service.id, { kind: "stays", service: service.id });
  // Places are given by tier, so that what matters most is not crowded out by what it depends on least.
  const byTier = [...order].sort((a, b) => services.get(a)!.tier - services.get(b)!.tier);
  for (const id of byTier) {
    const service = services.get(id)!;
    const needed = service.machines.map((m) => machines.get(m)!).filter((m) => !plans.machines.has(m.id) && (request.purpose === "rehearsal" || outage.machines.has(m.id)));
    const cannot = (reason: string, details = [`It cannot return: ${reason}.`]): void => void plans.services.set(id, { kind: "cannot", service: id, reason, details });
    const without = needed.find((m) => newest(m.id).length === 0);
    if (without) {
      cannot(groupWithout(estate, facts, without.id, request.at, outage) ?? noCopyWords(estate, facts, without.id, request.at, outage));
      continue;
    }
    const placed = placeService(estate, needed, room, reachable);
    if (placed.kind === "unplaced") {
      cannot(placed.reason, placed.details);
      continue;
    }
    for (const machine of needed) {
      const host = hosts.get(placed.hosts.get(machine.id)!)!;
      const found = newest(machine.id);
      plans.machines.set(machine.id, {
        machine: machine.id,
        point: found[0]!.point,
        capturedAt: found[0]!.capturedAt,
        predicted: found[0]!.state === "predicted",
        stores: bestStores(estate, outage, found, host.site),
        dataBytes: found[0]!.dataBytes,
        host: host.id,
      });
    }
    plans.services.set(id, { kind: "returns", service: id, serviceable: checkStep(id) });
  }
  spreadCannot(estate, plans, order);
  return plans;
}

/** What hangs on a service that cannot return cannot return either. */
function spreadCannot(estate: Estate, plans: Plans, order: readonly ServiceId[]): void {
  const services = byId(estate.services);
  for (let changed = true; changed; ) {
    changed = false;
    for (const id of order) {
      if (plans.services.get(id)!.kind !== "returns") continue;
      const missing = services.get(id)!.dependsOn.find((d) => d.strength === "hard" && plans.services.get(d.service)?.kind === "cannot");
      if (!missing) continue;
      const reason = `it needs ${services.get(missing.service)!.name}, which cannot return`;
      plans.services.set(id, { kind: "cannot", service: id, reason, details: [`It cannot return: ${reason}.`] });
      changed = true;
    }
  }
}

/** Where a machine has copies and its group has none of one instant. */
function groupWithout(estate: Estate, facts: readonly CopyFact[], machine: MachineId, at: number, outage: Outage): string | null {
  const group = estate.groups.find((g) => g.machines.includes(machine));
  if (!group || usableCopies(facts, machine, at, outage.stores).length === 0) return null;
  return `the machines of ${group.name} have no surviving copies of one common instant (within ${durationWords(group.within)})`;
}

function noCopyWords(estate: Estate, facts: readonly CopyFact[], machine: MachineId, at: number, outage: Outage): string {
  const name = estate.machines.find((m) => m.id === machine)!.name;
  const mine = facts.filter((f) => f.machine === machine && f.arrivedAt <= at);
  if (mine.length === 0) return `${name} had never been copied by then`;
  const storeName = (id: StoreId): string => estate.stores.find((s) => s.id === id)?.name ?? id;
  const left = mine.filter((f) => !outage.stores.has(f.store));
  if (left.length > 0) return `every surviving copy of ${name} is damaged (${listWords([...new Set(left.map((f) => storeName(f.store)))])})`;
  return `no copy of ${name} survives: all lie in ${listWords([...new Set(mine.map((f) => storeName(f.store)))])}, lost with it`;
}

/** Surviving stores that have the point, by the time in which one machine alone would come back from them. */
function bestStores(estate: Estate, outage: Outage, copies: readonly CopyFact[], site: string): StoreId[] {
  const links = byId(estate.links);
  const seconds = (id: StoreId): number => {
    const store = estate.stores.find((s) => s.id === id)!;
    const route = routeBetween(estate, store.site, site, outage.links);
    if (!route) return Infinity;
    return (store.retrieval ?? 0) + copies[0]!.dataBytes / Math.min(store.readRate, ...route.map((hop) => linkRateFrom(links.get(hop.link)!, hop.from)));
  };
  return copies
    .map((f) => f.store)
    .filter((id) => seconds(id) < Infinity)
    .sort((a, b) => seconds(a) - seconds(b) || (a < b ? -1 : 1));
}

/** Detection, decision and the coordinator's return; gives the step everything else waits for. */
function openingSteps(estate: Estate, outage: Outage, request: RunbookRequest, steps: BareStep[]): string[] {
  if (request.purpose === "rehearsal") return [];
  const { detection, decision } = estate.assumptions;
  const common = { priority: [0], holds: [], service: null, machine: null };
  steps.push({ ...common, id: "detect", kind: "detect", title: "The loss is detected (assumed)", actor: "people", after: [], work: { kind: "fixed", seconds: detection } });
  steps.push({ ...common, id: "declare", kind: "declare", title: "The outage is declared (assumed)", actor: "people", after: ["detect"], work: { kind: "fixed", seconds: decision } });
  if (!outage.coordinator) return ["declare"];
  const { returns, copy } = estate.coordinator;
  const place = estate.sites.find((s) => s.id === returns.site)?.name ?? returns.site;
  const copySite = estate.sites.find((s) => s.id === copy.site)?.name ?? copy.site;
  if (outage.sites.has(copy.site)) throw new CoordinatorLostError(`The coordinator and its own copy at ${copySite} are lost together: no runbook can be carried out. Keep its copy at another site`);
  steps.push({
    ...common,
    id: "return-coordinator",
    kind: "return-coordinator",
    title: `The coordinator returns at ${place} from its copy at ${copySite} (${copy.method})`,
    actor: "people",
    after: ["declare"],
    work: { kind: "fixed", seconds: returns.seconds },
  });
  return ["return-coordinator"];
}

export class CoordinatorLostError extends Error {
  override readonly name = "CoordinatorLostError";
}

function serviceSteps(estate: Estate, outage: Outage, service: Service, plans: Plans, place: ReadonlyMap<ServiceId, number>, begin: readonly string[], made: Set<MachineId>, steps: BareStep[]): void {
  const machines = byId(estate.machines);
  const hosts = byId(estate.hosts);
  const stores = byId(estate.stores);
  // Within a loop of hard dependencies only those earlier in the order are waited for.
  const dependencies = service.dependsOn
    .filter((d) => d.strength === "hard" && plans.services.get(d.service)?.kind === "returns" && place.get(d.service)! < place.get(service.id)!)
    .map((d) => checkStep(d.service));
  const booted: string[] = [];
  for (const id of service.machines) {
    const plan = plans.machines.get(id);
    if (!plan) continue;
    const machine = machines.get(id)!;
    const boot = `boot/${id}`;
    booted.push(boot);
    // A machine that another service brought back already is there.
    if (made.has(id)) continue;
    made.add(id);
    const host = hosts.get(plan.host)!;
    const store = stores.get(plan.stores[0]!)!;
    const common = { priority: [], service: service.id, machine: id };
    const hops = routeBetween(estate, store.site, host.site, outage.links) ?? [];
    const retrieve = store.retrieval ? [`retrieve/${id}`] : [];
    if (store.retrieval) steps.push({ ...common, id: `retrieve/${id}`, kind: "retrieve", title: `Have ${machine.name} made readable in ${store.name}`, actor: "coordinator", after: begin, holds: [], work: { kind: "fixed", seconds: store.retrieval } });
    steps.push(
      { ...common, id: `prepare/${id}`, kind: "prepare", title: `Make ${machine.name} on ${host.name}`, actor: "platform", after: begin, holds: [], work: { kind: "fixed", seconds: machine.prepare } },
      {
        ...common,
        id: `bring-back/${id}`,
        kind: "bring-back",
        title: `Bring back ${machine.name} (${sizeWords(plan.dataBytes)}) from ${store.name}`,
        actor: "coordinator",
        after: [`prepare/${id}`, ...retrieve],
        holds: [streamUnits(store.id)],
        work: {
          kind: "flow",
          bytes: plan.dataBytes,
          uses: [
            { resource: readResource(store.id), coefficient: machine.reduction },
            ...hops.map((hop) => ({ resource: linkResource(hop.link, hop.from), coefficient: machine.reduction })),
            { resource: poolResource(host.id), coefficient: 1 },
          ],
        },
      },
      { ...common, id: boot, kind: "boot", title: `Start ${machine.name}`, actor: "platform", after: [`bring-back/${id}`, ...dependencies], holds: [startUnits(host.id)], work: { kind: "fixed", seconds: machine.boot } },
    );
  }
  const common = { priority: [], service: service.id, machine: null };
  const { nameSwitch, message } = estate.assumptions;
  const ready = [...booted, ...dependencies];
  steps.push(
    { ...common, id: `names/${service.id}`, kind: "switch-names", title: `Switch ${service.serviceName}`, actor: "people", after: ready.length ? ready : begin, holds: [CREW_UNITS], work: { kind: "fixed", seconds: nameSwitch } },
    { ...common, id: checkStep(service.id), kind: "check", title: `Check that ${service.name} answers`, actor: "coordinator", after: [`names/${service.id}`], holds: [], work: { kind: "fixed", seconds: service.checks.reduce((n, c) => n + c.seconds, 0) } },
    { ...common, id: `tell/${service.id}`, kind: "tell", title: `Tell ${service.tell}`, actor: "coordinator", after: [checkStep(service.id)], holds: [], work: { kind: "fixed", seconds: message } },
  );
}

/**
 * Tier first, then least slack to the RTO: the time a service would have left if nothing were
 * shared. A step needed by several services takes the most urgent one's priority, and of equals
 * those come first on which the others depend.
 */
function prioritise(estate: Estate, steps: BareStep[], order: readonly ServiceId[]): void {
  const alone = simulateTimeline(
    steps.map((step) => ({ ...step, holds: [] })),
    { units: new Map(), rates: estateAlone(steps, estate) },
  );
  const urgency = new Map<ServiceId, number[]>();
  for (const service of estate.services) {
    const check = alone.steps.get(checkStep(service.id));
    if (check) urgency.set(service.id, [service.tier, service.rto - check.finish]);
  }
  const byStep = new Map(steps.map((step) => [step.id, step]));
  const raise = (id: string, priority: number[]): void => {
    const step = byStep.get(id)!;
    if (step.service === null) return;
    if (step.priority.length > 0 && !(comparePriority(priority, step.priority) < 0)) return;
    step.priority = priority;
    for (const before of step.after) raise(before, priority);
  };
  for (const [id, priority] of urgency) {
    raise(checkStep(id), priority);
    raise(`tell/${id}`, priority);
  }
  // What others wait for has their priority; of equals it goes before them.
  const place = new Map(order.map((id, i) => [id, i]));
  for (const step of steps) if (step.service !== null) step.priority = [...step.priority, place.get(step.service)!];
}

function comparePriority(a: readonly number[], b: readonly number[]): number {
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return a[i]! - (b[i] ?? 0);
  return 0;
}

/** Rates nobody shares: with as many of each as there are flows, every flow runs as if alone. */
function estateAlone(steps: readonly BareStep[], estate: Estate): Map<string, { fromSeconds: number; rate: number }[]> {
  const flows = steps.filter((s) => s.work.kind === "flow").length;
  return new Map([...estateResources(estate, 0).rates].map(([id, list]) => [id, [{ fromSeconds: 0, rate: Math.max(...list.map((l) => l.rate)) * Math.max(1, flows) }]]));
}
