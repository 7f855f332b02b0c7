import type { MachineId, StoreId } from "../estate/model.ts";

/** That a point of a machine lies in a store, since when, and whether it is known to be whole. */
export type CopyFact = {
  point: string;
  machine: MachineId;
  capturedAt: number;
  store: StoreId;
  arrivedAt: number;
  /** `predicted` copies are not there yet: the schedule says they will be. */
  state: "whole" | "damaged" | "predicted";
  /** Nominal bytes to bring back, holes left out. */
  dataBytes: number;
};

/**
 * The copies of a machine that an outage at `at` would leave usable: captured and arrived by
 * then, not known as damaged, in a store that survives. Newest first; of one instant all stores.
 */
export function usableCopies(facts: readonly CopyFact[], machine: MachineId, at: number, lostStores: ReadonlySet<StoreId>): CopyFact[] {
  return facts
    .filter((f) => f.machine === machine && f.arrivedAt <= at && f.capturedAt <= at && f.state !== "damaged" && !lostStores.has(f.store))
    .sort((a, b) => b.capturedAt - a.capturedAt);
}
