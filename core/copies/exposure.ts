import type { MachineId, StoreId } from "../estate/model.ts";
import type { CopyFact } from "./copy-fact.ts";

/**
 * Exposure of a machine within a surviving set over a stretch of time: at every instant the age of
 * the newest point that had arrived, whole, in a surviving store. A sawtooth: it rises with time
 * and falls when a newer point arrives. Vertices as (instant, seconds); null before the first.
 *
 * Damage counts as found now ("what was true"), whenever it was found.
 */
export type ExposureVertex = { at: number; seconds: number | null };

export function exposureOver(facts: readonly CopyFact[], machine: MachineId, lostStores: ReadonlySet<StoreId>, from: number, until: number): ExposureVertex[] {
  const arrivals = facts
    .filter((f) => f.machine === machine && f.state !== "damaged" && !lostStores.has(f.store) && f.arrivedAt <= until)
    .sort((a, b) => a.arrivedAt - b.arrivedAt);
  let newest = -Infinity;
  const age = (at: number): number | null => (newest === -Infinity ? null : (at - newest) / 1000);
  let i = 0;
  for (; i < arrivals.length && arrivals[i]!.arrivedAt <= from; i++) newest = Math.max(newest, arrivals[i]!.capturedAt);
  const vertices: ExposureVertex[] = [{ at: from, seconds: age(from) }];
  for (; i < arrivals.length; i++) {
    const { arrivedAt, capturedAt } = arrivals[i]!;
    if (capturedAt <= newest) continue;
    vertices.push({ at: arrivedAt, seconds: age(arrivedAt) });
    newest = capturedAt;
    vertices.push({ at: arrivedAt, seconds: age(arrivedAt) });
  }
  vertices.push({ at: until, seconds: age(until) });
  return vertices;
}

/** Worst exposure and the share of time above a target; where nothing had arrived counts as above. */
export function exposureSummary(vertices: readonly ExposureVertex[], targetSeconds: number): { worst: number | null; shareAbove: number } {
  let above = 0;
  let worst: number | null = 0;
  for (let i = 1; i < vertices.length; i++) {
    const a = vertices[i - 1]!;
    const b = vertices[i]!;
    const length = (b.at - a.at) / 1000;
    if (a.seconds === null || b.seconds === null) {
      worst = null;
      above += length;
      continue;
    }
    if (worst !== null) worst = Math.max(worst, a.seconds, b.seconds);
    // Between two vertices exposure rises by one second a second.
    above += Math.min(length, Math.max(0, b.seconds - targetSeconds));
  }
  const all = (vertices.at(-1)!.at - vertices[0]!.at) / 1000;
  return { worst, shareAbove: all > 0 ? above / all : 0 };
}
