import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { estateResources } from "#core/estate/resources.ts";
import type { Estate } from "#core/estate/model.ts";
import { readEstate } from "#formats/estate/read-estate.ts";
import { readTruth } from "./truth.ts";

const truth = readTruth(readFileSync("demo/world.yaml", "utf8"));
/** Both customers of the demo live in one world. */
const estates = ["demo/estate.yaml", "demo/charters.yaml"].map((file) => readEstate(readFileSync(file, "utf8")).estate);
const all = <T>(of: (estate: Estate) => readonly T[]): T[] => estates.flatMap(of);

describe("the demo's truth beside its estate", () => {
  it("has a rate for every line direction, store and pool that transfers may use, and no others", () => {
    expect(Object.keys(truth.rates).sort()).toEqual(all((e) => [...estateResources(e, 0).rates.keys()]).sort());
  });

  it("runs the machines and services the estate describes, on disks of the same size", () => {
    expect(Object.keys(truth.machines).sort()).toEqual(all((e) => e.machines.map((m) => m.id)).sort());
    expect(Object.keys(truth.services).sort()).toEqual(all((e) => e.services.map((s) => s.id)).sort());
    for (const machine of all((e) => e.machines)) {
      expect(truth.machines[machine.id]!.host).toBe(machine.host);
      expect(truth.machines[machine.id]!.disks.map((d) => [d.id, d.bytes])).toEqual(machine.disks.map((d) => [d.id, d.size]));
    }
    for (const service of all((e) => e.services)) expect(truth.services[service.id]).toMatchObject({ name: service.serviceName, machines: service.machines });
  });

  it("shares no figure with the estimates by construction: what it takes differs from what was guessed", () => {
    const guessed = new Map(all((e) => e.stores).map((s) => [`read:${s.id}`, s.readRate]));
    for (const [id, rate] of guessed) expect(truth.rates[id]!.rate).not.toBe(rate);
    const boots = all((e) => e.machines).filter((m) => truth.machines[m.id]!.boot !== m.boot);
    expect(boots.length).toBeGreaterThan(all((e) => e.machines).length / 2);
    const used = all((e) => e.machines).flatMap((m) => m.disks.map((d) => d.used - truth.machines[m.id]!.disks.find((x) => x.id === d.id)!.used));
    expect(used.filter((difference) => difference !== 0).length).toBeGreaterThan(used.length / 2);
  });
});
