import type { MachineId, StoreId } from "#core/estate/model.ts";

/** What a work item is about, by its kind. */
export type WorkSubject =
  | { kind: "copy"; machine: MachineId; policy: string; /** Part of a past that nobody watches. */ unwatched?: true }
  | { kind: "protect"; name: string; path: string; capturedAt: number; storeIds: StoreId[] }
  | { kind: "bring-back"; name: string; point: string; storeIds: StoreId[]; to: string }
  | { kind: "discover"; platform: string }
  | { kind: "run" }
  | { kind: "history"; policies: { id: string; every: number }[]; instants: number[] };

/** What has moved so far, leg by leg, nominal bytes. */
export type LegProgress = { from: string; to: StoreId; total: number; moved: number; beganAt: number; arrivedAt?: number };
export type WorkProgress = { legs?: Record<string, LegProgress>; note?: string };
