import { durationWords } from "../wording/amounts.ts";
import type { Store } from "./model.ts";

const MIB = 2 ** 20;
const TIB = 2 ** 40;
/** Scattered reads of a machine that runs from a copy (assumed; common practice is a few MiB/s while it settles in). */
export const READS_OF_A_RUNNING_MACHINE = 8 * MIB;

/** Whether machines can run straight from a store, how many, and why. */
export function runsMachines(store: Store): { machines: number | null; words: string } {
  if (store.retrieval) return { machines: 0, words: `no: what is asked for can be read only after ${durationWords(store.retrieval)}` };
  if (store.randomReadRate === undefined) return { machines: null, words: "not known: no rate of scattered reads is stated" };
  const machines = Math.floor(store.randomReadRate / READS_OF_A_RUNNING_MACHINE);
  const wait = store.latencyMs === undefined ? "" : `; each read waits ${store.latencyMs} ms`;
  if (machines === 0) return { machines, words: `no: it is too slow for one at an assumed ${READS_OF_A_RUNNING_MACHINE / MIB} MiB/s${wait}` };
  return { machines, words: `${machines} at once, at an assumed ${READS_OF_A_RUNNING_MACHINE / MIB} MiB/s of scattered reads each${wait}` };
}

/** What keeping some bytes costs a month and bringing them all back once; null where no prices are stated. */
export function storeCost(store: Store, bytes: number): { currency: string; month: number; readAll: number } | null {
  if (!store.prices) return null;
  const { currency, keepTiBMonth, readTiB } = store.prices;
  return { currency, month: (bytes / TIB) * keepTiBMonth, readAll: (bytes / TIB) * readTiB };
}
