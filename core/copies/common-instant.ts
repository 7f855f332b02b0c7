import { type ConsistencyGroup, type Estate, type MachineId, type StoreId } from "../estate/model.ts";
import { type CopyFact, usableCopies } from "./copy-fact.ts";

/**
 * The newest points of several machines that lie at most `within` seconds apart: the latest instant
 * for which every machine has a point not older than that before it. Each list holds one machine's
 * usable points, newest first. Null where there is none. Linear in the points.
 */
export function newestCommon(points: readonly (readonly number[])[], within: number): number[] | null {
  if (points.length === 0 || points.some((p) => p.length === 0)) return null;
  const next = points.map(() => 0);
  for (;;) {
    const chosen = points.map((p, i) => p[next[i]!]!);
    const oldest = Math.min(...chosen);
    // Whatever lies too far after the oldest can only agree by going back itself.
    const late = chosen.flatMap((at, i) => (at - oldest > within * 1000 ? [i] : []));
    if (late.length === 0) return chosen;
    for (const i of late) if (++next[i]! >= points[i]!.length) return null;
  }
}

/**
 * For every machine the copies from which it comes back: of its newest usable point or, in a
 * consistency group, of the newest one that agrees with the others'. Of a group the given machines
 * alone count, where they are given. Empty where there is none.
 */
export function recoveryCopies(estate: Estate, facts: readonly CopyFact[], at: number, lostStores: ReadonlySet<StoreId>, machines?: ReadonlySet<MachineId>): (machine: MachineId) => CopyFact[] {
  const byMachine = new Map<MachineId, CopyFact[]>();
  for (const fact of facts) {
    const list = byMachine.get(fact.machine);
    if (list) list.push(fact);
    else byMachine.set(fact.machine, [fact]);
  }
  const groupOf = new Map(estate.groups.flatMap((g) => g.machines.map((m) => [m, g] as const)));
  const known = new Map<MachineId, CopyFact[]>();
  const usable = (id: MachineId): CopyFact[] => usableCopies(byMachine.get(id) ?? [], id, at, lostStores);
  const settleGroup = (group: ConsistencyGroup): void => {
    const mine = group.machines.filter((m) => !machines || machines.has(m));
    const copies = mine.map(usable);
    const chosen = newestCommon(copies.map((list) => [...new Set(list.map((f) => f.capturedAt))]), group.within);
    mine.forEach((m, i) => known.set(m, chosen ? copies[i]!.filter((f) => f.capturedAt === chosen[i]) : []));
  };
  return (id) => {
    const had = known.get(id);
    if (had) return had;
    const group = groupOf.get(id);
    if (group && (!machines || machines.has(id))) settleGroup(group);
    else {
      const list = usable(id);
      known.set(id, list.filter((f) => f.capturedAt === list[0]!.capturedAt));
    }
    return known.get(id)!;
  };
}
