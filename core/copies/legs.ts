import { estateResources } from "../estate/resources.ts";
import { byId, type Estate, type Leg, type MachineId, type Policy, siteOfMachine, type StoreId, usedBytes } from "../estate/model.ts";
import { linkResource, poolResource, readResource, routeBetween, writeResource } from "../estate/route.ts";
import { simulateTimeline, type TimelineStep } from "../timeline/simulate.ts";
import { changedBytes } from "./changed-bytes.ts";
import type { CopyFact } from "./copy-fact.ts";

/** Block size at which platforms commonly track changes (common practice: 64 KiB to 4 MiB). */
export const TRACKING_BLOCK_BYTES = 1024 * 1024;

const NO_LOSS: ReadonlySet<string> = new Set();

/** What a transfer along a leg uses: logical bytes at the source, reduced ones on links and in stores. */
export function legUses(estate: Estate, machine: MachineId, leg: Leg): { resource: string; coefficient: number }[] {
  const source = estate.machines.find((m) => m.id === machine)!;
  const to = estate.stores.find((s) => s.id === leg.to)!;
  const fromStore = leg.from === "machine" ? undefined : estate.stores.find((s) => s.id === leg.from)!;
  const fromSite = fromStore?.site ?? siteOfMachine(estate, source);
  const coefficient = source.reduction;
  return [
    fromStore ? { resource: readResource(fromStore.id), coefficient } : { resource: poolResource(source.host), coefficient: 1 },
    ...(routeBetween(estate, fromSite, to.site, NO_LOSS) ?? []).map((hop) => ({ resource: linkResource(hop.link, hop.from), coefficient })),
    { resource: writeResource(to.id), coefficient },
  ];
}

const lagKey = (machine: MachineId, store: StoreId): string => `${machine}\n${store}`;
export type ArrivalLags = Map<string, number>;

/** Seconds from capture to arrival, by machine and store, when all machines of a policy are captured at `at`. */
export function projectedLags(estate: Estate, policy: Policy, at: number): ArrivalLags {
  const machines = byId(estate.machines);
  const steps: TimelineStep[] = policy.machines.flatMap((id) => {
    const machine = machines.get(id)!;
    const bytes = changedBytes(machine.change, TRACKING_BLOCK_BYTES, policy.every, usedBytes(machine));
    return policy.legs.map((leg) => ({
      id: lagKey(id, leg.to),
      after: leg.from === "machine" ? [] : [lagKey(id, leg.from)],
      priority: [],
      work: { kind: "flow" as const, bytes, uses: legUses(estate, id, leg) },
      holds: [],
    }));
  });
  return new Map([...simulateTimeline(steps, estateResources(estate, at)).steps].map(([key, step]) => [key, step.finish]));
}

/** The last measured lags, where there are some. */
export function measuredLags(facts: readonly CopyFact[]): ArrivalLags {
  const newest = new Map<string, CopyFact>();
  for (const fact of facts) {
    const key = lagKey(fact.machine, fact.store);
    if (fact.state !== "predicted" && fact.capturedAt > (newest.get(key)?.capturedAt ?? -Infinity)) newest.set(key, fact);
  }
  return new Map([...newest].map(([key, fact]) => [key, (fact.arrivedAt - fact.capturedAt) / 1000]));
}

/**
 * The copies a policy's schedule will have made between two instants: a capture at every whole
 * interval, arriving after the given lags. They are marked as predicted.
 */
export function scheduledCopies(estate: Estate, policy: Policy, lags: ArrivalLags, from: number, until: number): CopyFact[] {
  const every = policy.every * 1000;
  const facts: CopyFact[] = [];
  const machines = byId(estate.machines);
  for (let capturedAt = Math.ceil(from / every) * every; capturedAt <= until; capturedAt += every)
    for (const id of policy.machines)
      for (const leg of policy.legs) {
        const lag = lags.get(lagKey(id, leg.to));
        if (lag === undefined) continue;
        facts.push({ point: `scheduled/${id}/${capturedAt}`, machine: id, capturedAt, store: leg.to, arrivedAt: capturedAt + lag * 1000, state: "predicted", dataBytes: usedBytes(machines.get(id)!) });
      }
  return facts;
}

/** Copies in steady state before an instant: what the policies alone say, for an estate without listed points. */
export function steadyCopies(estate: Estate, at: number): CopyFact[] {
  return estate.policies.flatMap((policy) => {
    const lags = projectedLags(estate, policy, Math.floor(at / (policy.every * 1000)) * policy.every * 1000);
    const longest = Math.max(0, ...lags.values());
    return scheduledCopies(estate, policy, lags, at - (longest + 2 * policy.every) * 1000, at);
  });
}
