import type { ConsistencyGroup, StoreId } from "../estate/model.ts";
import { newestCommon } from "./common-instant.ts";
import type { CopyFact } from "./copy-fact.ts";
import type { ExposureVertex } from "./exposure.ts";

/**
 * Exposure of a consistency group within a surviving set over a stretch of time: at every instant
 * the age of the oldest of the newest points that agree. Like a machine's it rises by one second a
 * second and falls when a point arrives that completes a newer common instant. Null before the first.
 */
export function groupExposureOver(facts: readonly CopyFact[], group: ConsistencyGroup, lostStores: ReadonlySet<StoreId>, from: number, until: number): ExposureVertex[] {
  const arrivals = facts
    .filter((f) => group.machines.includes(f.machine) && f.state !== "damaged" && !lostStores.has(f.store) && f.arrivedAt <= until)
    .sort((a, b) => a.arrivedAt - b.arrivedAt);
  const points = new Map(group.machines.map((m) => [m, [] as number[]]));
  let common = -Infinity;
  const age = (at: number): number | null => (common === -Infinity ? null : (at - common) / 1000);
  const take = (fact: CopyFact): boolean => {
    const mine = points.get(fact.machine)!;
    if (mine.includes(fact.capturedAt)) return false;
    mine.push(fact.capturedAt);
    mine.sort((a, b) => b - a);
    const found = newestCommon([...points.values()], group.within);
    const oldest = found ? Math.min(...found) : -Infinity;
    // What lies further back than the common instant can never be chosen again.
    if (found) group.machines.forEach((m, i) => points.set(m, points.get(m)!.filter((p) => p >= found[i]!)));
    const isNewer = oldest > common;
    common = Math.max(common, oldest);
    return isNewer;
  };
  let i = 0;
  for (; i < arrivals.length && arrivals[i]!.arrivedAt <= from; i++) take(arrivals[i]!);
  const vertices: ExposureVertex[] = [{ at: from, seconds: age(from) }];
  for (; i < arrivals.length; i++) {
    const { arrivedAt } = arrivals[i]!;
    const before = age(arrivedAt);
    if (!take(arrivals[i]!)) continue;
    vertices.push({ at: arrivedAt, seconds: before }, { at: arrivedAt, seconds: age(arrivedAt) });
  }
  vertices.push({ at: until, seconds: age(until) });
  return vertices;
}
