import { describe, expect, it } from "vitest";
import { MIB, smallEstate } from "../tests/small-estate.ts";
import { runsMachines, storeCost } from "./store-facts.ts";

const store = smallEstate().stores[0]!;

describe("what a store is good for", () => {
  it("runs as many machines as its scattered reads carry, and none after a retrieval", () => {
    expect(runsMachines(store).machines).toBeNull();
    expect(runsMachines({ ...store, randomReadRate: 65 * MIB, latencyMs: 9 })).toEqual({ machines: 8, words: "8 at once, at an assumed 8 MiB/s of scattered reads each; each read waits 9 ms" });
    expect(runsMachines({ ...store, randomReadRate: 2 * MIB }).machines).toBe(0);
    expect(runsMachines({ ...store, randomReadRate: 900 * MIB, retrieval: 18_000 })).toEqual({ machines: 0, words: "no: what is asked for can be read only after 5 h" });
  });
  it("costs by what lies there", () => {
    expect(storeCost(store, 1)).toBeNull();
    expect(storeCost({ ...store, prices: { currency: "EUR", keepTiBMonth: 20, readTiB: 38 } }, 2.5 * 2 ** 40)).toEqual({ currency: "EUR", month: 50, readAll: 95 });
  });
});
