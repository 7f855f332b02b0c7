import { maxMinShares } from "../sharing/max-min.ts";

/**
 * Event simulation of steps under precedence, unit resources and shared rates.
 *
 * A step is ready when all its predecessors have finished. Ready steps are looked at in order of
 * priority (lower first, then their place in the list) and start when everything they hold is
 * free; a step that cannot start does not keep later ones from starting (list scheduling, Graham
 * 1969). Flows share rates by max–min fairness; between events rates are constant.
 *
 * Without resources this is the critical path method. Times are seconds from the start.
 */
export type Work =
  | { kind: "fixed"; seconds: number }
  | { kind: "flow"; bytes: number; uses: { resource: string; coefficient: number }[]; cap?: number };

export type TimelineStep = { id: string; after: readonly string[]; priority: readonly number[]; work: Work; holds: readonly string[] };

export type TimelineResources = {
  /** Units that steps hold while they run. */
  units: ReadonlyMap<string, number>;
  /** Bytes per second, in steps from the start. */
  rates: ReadonlyMap<string, readonly { fromSeconds: number; rate: number }[]>;
};

/** Why a step starts when it does. */
export type StartReason = { kind: "start" } | { kind: "after"; step: string } | { kind: "resource"; resource: string; freedBy: string };

export type TimedStep = {
  id: string;
  start: number;
  finish: number;
  ready: number;
  reason: StartReason;
  /** The resource that bound a flow for the longest time. */
  boundBy: string | null;
  /** How much later it may finish without moving the end of the whole. */
  slack: number;
};

/** What flows take of a shared rate from an instant on, until the next entry; bytes per second of the resource itself. */
export type ShareStep = { at: number; used: number; capacity: number };

export type Timeline = { steps: Map<string, TimedStep>; end: number; shares: Map<string, ShareStep[]> };

export class TimelineError extends Error {
  override readonly name = "TimelineError";
  constructor(
    readonly kind: "cycle" | "unknown-step" | "never-starts" | "never-ends",
    readonly steps: string[],
  ) {
    super(
      {
        cycle: `These steps wait for each other: ${steps.join(", ")}`,
        "unknown-step": `There is no step ${steps.join(", ")} to wait for`,
        "never-starts": `These steps hold more than there is: ${steps.join(", ")}`,
        "never-ends": `These steps move bytes over something that has no rate: ${steps.join(", ")}`,
      }[kind],
    );
  }
}

type Running = { step: TimelineStep; start: number; left: number; boundNow: string; bound: Map<string, number> };

const EPSILON = 1e-9;

export function simulateTimeline(steps: readonly TimelineStep[], resources: TimelineResources): Timeline {
  const all = new Map(steps.map((step, place) => [step.id, { step, place }]));
  const waiting = new Map<string, number>();
  const followers = new Map<string, string[]>();
  for (const step of steps) {
    const after = new Set(step.after);
    waiting.set(step.id, after.size);
    for (const id of after) {
      if (!all.has(id)) throw new TimelineError("unknown-step", [id]);
      listed(followers, id).push(step.id);
    }
  }
  const free = new Map(resources.units);
  const lastFreed = new Map<string, { step: string; at: number }>();
  const timed = new Map<string, TimedStep>();
  const readyAt = new Map<string, { at: number; because: string | null }>();
  let ready: TimelineStep[] = [];
  let isSorted = true;
  let running: Running[] = [];
  let now = 0;
  const shares = new Map<string, ShareStep[]>();
  const noteShares = (rateOf: ReadonlyMap<Running, number>, capacities: ReadonlyMap<string, number>): void => {
    const used = new Map([...shares.keys()].map((id) => [id, 0]));
    for (const [{ step }, rate] of rateOf)
      if (step.work.kind === "flow" && rate < Infinity) for (const { resource, coefficient } of step.work.uses) used.set(resource, (used.get(resource) ?? 0) + rate * coefficient);
    for (const [id, sum] of used) {
      const list = listed(shares, id);
      const capacity = capacities.get(id) ?? 0;
      if (list.at(-1)?.used !== sum || list.at(-1)?.capacity !== capacity) list.push({ at: now, used: sum, capacity });
    }
  };

  const makeReady = (id: string, because: string | null): void => {
    readyAt.set(id, { at: now, because });
    ready.push(all.get(id)!.step);
    isSorted = false;
  };
  for (const step of steps) if (waiting.get(step.id) === 0) makeReady(step.id, null);

  const byPriority = (a: TimelineStep, b: TimelineStep): number => {
    for (let i = 0; i < Math.max(a.priority.length, b.priority.length); i++) {
      const d = (a.priority[i] ?? 0) - (b.priority[i] ?? 0);
      if (d !== 0) return d;
    }
    return all.get(a.id)!.place - all.get(b.id)!.place;
  };

  const startReady = (): void => {
    // Those that stay keep their order.
    if (!isSorted) ready.sort(byPriority);
    isSorted = true;
    const left: TimelineStep[] = [];
    for (const step of ready) {
      if (step.holds.some((unit) => (free.get(unit) ?? 0) < 1)) {
        left.push(step);
        continue;
      }
      for (const unit of step.holds) free.set(unit, free.get(unit)! - 1);
      const since = readyAt.get(step.id)!;
      const freed = step.holds.map((unit) => ({ unit, ...(lastFreed.get(unit) ?? { step: "", at: -1 }) })).sort((a, b) => b.at - a.at)[0];
      const waited = now > since.at + EPSILON && freed !== undefined && freed.step !== "";
      timed.set(step.id, {
        id: step.id,
        start: now,
        finish: now,
        ready: since.at,
        reason: waited ? { kind: "resource", resource: freed.unit, freedBy: freed.step } : since.because ? { kind: "after", step: since.because } : { kind: "start" },
        boundBy: null,
        slack: 0,
      });
      running.push({ step, start: now, left: step.work.kind === "fixed" ? step.work.seconds : step.work.bytes, boundNow: "nothing", bound: new Map() });
    }
    ready = left;
  };

  for (;;) {
    startReady();
    const flows = running.filter((r) => r.step.work.kind === "flow");
    const rateOf = new Map<Running, number>();
    const capacities = new Map([...resources.rates].map(([id, list]) => [id, rateNow(list, now)]));
    if (flows.length > 0) {
      const { rates, boundBy } = maxMinShares(capacities, flows.map((r) => r.step.work as Extract<Work, { kind: "flow" }>));
      flows.forEach((r, i) => {
        rateOf.set(r, rates[i]!);
        r.boundNow = boundBy[i]!;
      });
    }
    noteShares(rateOf, capacities);
    if (running.length === 0) break;
    let dt = Infinity;
    for (const r of running) dt = Math.min(dt, r.step.work.kind === "fixed" ? r.left : r.left <= 0 ? 0 : r.left / rateOf.get(r)!);
    if (flows.length > 0) for (const list of resources.rates.values()) for (const { fromSeconds } of list) if (fromSeconds > now + EPSILON) dt = Math.min(dt, fromSeconds - now);
    if (!Number.isFinite(dt)) throw new TimelineError("never-ends", running.map((r) => r.step.id));
    now += dt;
    const done: Running[] = [];
    for (const r of running) {
      const rate = rateOf.get(r);
      if (rate === undefined) r.left -= dt;
      else {
        r.left -= rate === Infinity ? r.left : rate * dt;
        r.bound.set(r.boundNow, (r.bound.get(r.boundNow) ?? 0) + dt);
      }
      if (r.left <= EPSILON * Math.max(1, r.step.work.kind === "flow" ? r.step.work.bytes : r.step.work.seconds)) done.push(r);
    }
    running = running.filter((r) => !done.includes(r));
    for (const r of done) {
      const t = timed.get(r.step.id)!;
      t.finish = now;
      t.boundBy = [...r.bound].sort((a, b) => b[1] - a[1])[0]?.[0] ?? null;
      for (const unit of r.step.holds) {
        free.set(unit, free.get(unit)! + 1);
        lastFreed.set(unit, { step: r.step.id, at: now });
      }
    }
    for (const r of done)
      for (const id of followers.get(r.step.id) ?? []) {
        waiting.set(id, waiting.get(id)! - 1);
        if (waiting.get(id) === 0) makeReady(id, r.step.id);
      }
  }
  const left = steps.filter((step) => !timed.has(step.id)).map((step) => step.id);
  if (left.length > 0) throw new TimelineError(left.some((id) => readyAt.has(id)) ? "never-starts" : "cycle", left);
  const timeline = { steps: timed, end: now, shares };
  addSlack(steps, timeline);
  return timeline;
}

/** The list of a key, which is made where there is none yet. */
function listed<T>(lists: Map<string, T[]>, key: string): T[] {
  const had = lists.get(key);
  if (had) return had;
  const list: T[] = [];
  lists.set(key, list);
  return list;
}

function rateNow(list: readonly { fromSeconds: number; rate: number }[], now: number): number {
  let rate = list[0]?.rate ?? 0;
  for (const step of list) if (step.fromSeconds <= now + EPSILON) rate = step.rate;
  return rate;
}

/** Backward pass over precedence and over the order in which units were handed on. */
function addSlack(steps: readonly TimelineStep[], timeline: Timeline): void {
  const latest = new Map<string, number>();
  const successors = new Map<string, string[]>();
  const add = (from: string, to: string): void => void listed(successors, from).push(to);
  for (const step of steps) {
    for (const id of new Set(step.after)) add(id, step.id);
    const { reason } = timeline.steps.get(step.id)!;
    if (reason.kind === "resource") add(reason.freedBy, step.id);
  }
  const order = topological(steps, successors).reverse();
  for (const id of order) {
    let end = timeline.end;
    for (const next of successors.get(id) ?? []) {
      const t = timeline.steps.get(next)!;
      end = Math.min(end, latest.get(next)! - (t.finish - t.start));
    }
    latest.set(id, end);
    timeline.steps.get(id)!.slack = Math.max(0, end - timeline.steps.get(id)!.finish);
  }
}

function topological(steps: readonly TimelineStep[], successors: ReadonlyMap<string, string[]>): string[] {
  const incoming = new Map<string, number>(steps.map((s) => [s.id, 0]));
  for (const list of successors.values()) for (const id of list) incoming.set(id, incoming.get(id)! + 1);
  const open = steps.filter((s) => incoming.get(s.id) === 0).map((s) => s.id);
  const order: string[] = [];
  while (open.length > 0) {
    const id = open.pop()!;
    order.push(id);
    for (const next of successors.get(id) ?? []) {
      incoming.set(next, incoming.get(next)! - 1);
      if (incoming.get(next) === 0) open.push(next);
    }
  }
  return order;
}

/** Steps that decide when a step finishes, from the start to it. */
export function chainTo(timeline: Timeline, id: string): TimedStep[] {
  const chain: TimedStep[] = [];
  for (let at: string | undefined = id; at !== undefined; ) {
    const step: TimedStep = timeline.steps.get(at)!;
    chain.push(step);
    at = step.reason.kind === "after" ? step.reason.step : step.reason.kind === "resource" ? step.reason.freedBy : undefined;
  }
  return chain.reverse();
}
