import type { MachineId, StoreId } from "../estate/model.ts";

/** One leg of a copy as it stands: nominal bytes. */
export type LegState = { work: string; machine: MachineId; from: string; to: StoreId; total: number; moved: number; beganAt: number; arrived: boolean };
/** A transfer as the platform reports it just now. */
export type FlowState = { work: string; leg: string; bytes: number; left: number; rate: number };

export type LegUnderWay = LegState & { leg: string; left: number; rate: number; secondsLeft: number | null };
export type StoreUnderWay = { store: StoreId; machines: number; moved: number; total: number; rate: number; secondsLeft: number | null; beganAt: number };

/**
 * Joins what is known of the legs with the rates of this moment. A leg that waits for others has
 * no rate and no time left (null). The part of a slice that is on the wire counts as moved.
 */
export function legsUnderWay(legs: readonly (LegState & { leg: string })[], flows: readonly FlowState[]): LegUnderWay[] {
  return legs
    .filter((leg) => !leg.arrived && leg.moved < leg.total)
    .map((leg) => {
      const mine = flows.filter((f) => f.work === leg.work && f.leg === leg.leg);
      const rate = mine.reduce((sum, f) => sum + f.rate, 0);
      const onWire = mine.reduce((sum, f) => sum + (f.bytes - f.left), 0);
      const left = Math.max(0, leg.total - leg.moved - onWire);
      return { ...leg, moved: leg.total - left, left, rate, secondsLeft: rate > 0 ? left / rate : null };
    });
}

/** The same by store they go to: how many machines, together how fast, until when. */
export function byStore(legs: readonly LegUnderWay[]): StoreUnderWay[] {
  const groups = new Map<StoreId, LegUnderWay[]>();
  for (const leg of legs) groups.set(leg.to, [...(groups.get(leg.to) ?? []), leg]);
  return [...groups].map(([store, mine]) => {
    const rate = mine.reduce((sum, l) => sum + l.rate, 0);
    const left = mine.reduce((sum, l) => sum + l.left, 0);
    return {
      store,
      machines: new Set(mine.map((l) => l.machine)).size,
      moved: mine.reduce((sum, l) => sum + l.moved, 0),
      total: mine.reduce((sum, l) => sum + l.total, 0),
      rate,
      secondsLeft: rate > 0 ? left / rate : null,
      beganAt: Math.min(...mine.map((l) => l.beganAt)),
    };
  });
}
