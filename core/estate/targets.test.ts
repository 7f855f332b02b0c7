import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { singlePoints } from "../outage/single-points.ts";
import { outageOf, serviceStates } from "../outage/closure.ts";
import { smallEstate } from "../tests/small-estate.ts";
import { gapsOf } from "./gaps.ts";
import { isNeededAt, neededSeconds } from "./hours.ts";
import type { Estate, Service } from "./model.ts";
import { categoryOfAll, highWaterMark } from "./security-category.ts";
import { targetFaults, tighterThanNeeded } from "./targets.ts";

const estateOf = (services: Partial<Service>[]): Estate => smallEstate((e) => void (e.services = services.map((s, i) => ({ ...e.services[0]!, id: `s${i}`, name: `S${i}`, ...s }))));
const needs = (...ids: string[]): Service["dependsOn"] => ids.map((service) => ({ service, strength: "hard" as const }));

describe("targets along dependencies", () => {
  it("names the way to what is looser, once, and looks no further than it", () => {
    const estate = estateOf([{ rto: 900, dependsOn: needs("s1") }, { rto: 600, dependsOn: needs("s2") }, { rto: 3_600, dependsOn: needs("s3") }, { rto: 7_200 }]);
    expect(tighterThanNeeded(estate, estate.services[0]!, "rto").map((f) => f.path)).toEqual([["s0", "s1", "s2"]]);
    expect(targetFaults(estate).filter((f) => f.kind === "rto").map((f) => f.path)).toEqual([["s0", "s1", "s2"], ["s1", "s2"], ["s2", "s3"]]);
  });

  it("finds nothing exactly where no hard dependency is looser than what needs it", () => {
    const services = fc.array(fc.record({ rto: fc.integer({ min: 1, max: 5 }), to: fc.array(fc.tuple(fc.nat(7), fc.boolean()), { maxLength: 4 }) }), { minLength: 8, maxLength: 8 });
    fc.assert(
      fc.property(services, (given) => {
        const estate = estateOf(given.map((g, i) => ({ rto: g.rto * 60, dependsOn: g.to.filter(([to]) => to !== i).map(([to, hard]) => ({ service: `s${to}`, strength: hard ? ("hard" as const) : ("soft" as const) })) })));
        const direct = estate.services.some((s) => s.dependsOn.some((d) => d.strength === "hard" && estate.services.find((o) => o.id === d.service)!.rto > s.rto));
        expect(targetFaults(estate).some((f) => f.kind === "rto")).toBe(direct);
        for (const fault of targetFaults(estate).filter((f) => f.kind === "rto"))
          for (const [i, id] of fault.path.slice(1).entries()) expect(estate.services.find((s) => s.id === fault.path[i])!.dependsOn).toContainEqual({ service: id, strength: "hard" });
      }),
    );
  });

  it("points out impact before the MTD, copies abroad, loops and groups that no policy holds together", () => {
    const estate = smallEstate((e) => {
      Object.assign(e.services[0]!, { mtd: 8 * 3_600, impact: [{ after: 3_600, what: "queues", level: "low" }, { after: 14_400, what: "no sailing", level: "high" }], copiesIn: ["EE"], dependsOn: needs("site") });
      e.services[1]!.impact = [];
      e.groups = [{ id: "g", name: "the pair", machines: ["db", "web"], within: 0 }];
      e.policies = [{ ...e.policies[0]!, machines: ["db"] }, { ...e.policies[0]!, id: "p2", machines: ["web"] }];
    });
    expect(targetFaults(estate).map((f) => f.kind).sort()).toEqual(["copies-in", "impact", "loop"]);
    expect(gapsOf(estate, 0).map((g) => g.id)).toEqual(expect.arrayContaining(["impact/data", "copies-in/data", "group/g", "unsaid"]));
    expect(targetFaults(estate).find((f) => f.kind === "copies-in")!.sentence).toContain("Cloud bucket (FI)");
  });
});

describe("what fails by itself", () => {
  it("says of every single point exactly the services that its loss takes down", () => {
    const estate = estateOf([{ machines: ["db"] }, { machines: ["web"], dependsOn: needs("s0") }, { machines: ["web"], dependsOn: [{ service: "s0", strength: "soft" }] }, { machines: [], dependsOn: needs("s1") }]);
    const points = singlePoints(estate, 1);
    const down = (lost: string): string[] => {
      const states = serviceStates(estate, outageOf(estate, [lost]));
      return estate.services.filter((s) => states.get(s.id)!.kind === "down").map((s) => s.id);
    };
    expect(points.find((p) => p.kind === "host" && p.id === "q1")!.services).toEqual(down("q1"));
    expect(points.find((p) => p.kind === "machine" && p.id === "db")!.services).toEqual(["s0", "s1", "s3"]);
    expect(points.find((p) => p.kind === "service" && p.id === "s1")!.services).toEqual(["s1", "s3"]);
    // The host takes all four: nothing stands before it.
    expect(points[0]).toMatchObject({ kind: "host", byTier: [4, 0, 0, 0] });
  });
});

describe("hours that matter", () => {
  const night = [{ days: [5], from: 22 * 60, to: 2 * 60 }];
  const friday = Date.parse("2026-11-27T20:00Z"); // 22:00 in Tallinn
  it("takes a window over midnight as its first day's", () => {
    expect(isNeededAt(night, "Europe/Tallinn", friday)).toBe(true);
    expect(isNeededAt(night, "Europe/Tallinn", friday + 3.9 * 3_600_000)).toBe(true);
    expect(isNeededAt(night, "Europe/Tallinn", friday - 24 * 3_600_000)).toBe(false);
    expect(neededSeconds(night, "Europe/Tallinn", friday - 3_600_000, 86_400)).toBe(4 * 3_600);
  });
  it("counts whole minutes as minute by minute counting does, over a change of clocks too", () => {
    const window = fc.record({ days: fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1 }), from: fc.integer({ min: 0, max: 1439 }), to: fc.integer({ min: 0, max: 1440 }) }).filter((w) => w.from !== w.to);
    const changes = Date.parse("2026-10-25T00:00Z");
    fc.assert(
      fc.property(fc.array(window, { minLength: 1, maxLength: 3 }), fc.integer({ min: -1_500, max: 1_500 }), fc.integer({ min: 0, max: 400 }), (hours, offset, minutes) => {
        const from = changes + offset * 60_000;
        const counted = Array.from({ length: minutes }, (_, i) => isNeededAt(hours, "Europe/Tallinn", from + i * 60_000)).filter(Boolean).length * 60;
        expect(neededSeconds(hours, "Europe/Tallinn", from, minutes * 60)).toBe(counted);
      }),
      { numRuns: 60 },
    );
  });
});

describe("FIPS 199, section 4", () => {
  it("gives its example: an acquisition system with contract and administrative information", () => {
    // SC contract information = {moderate, moderate, low}, SC administrative information = {low, low, low}.
    const contract = { confidentiality: "moderate", integrity: "moderate", availability: "low" } as const;
    const administrative = { confidentiality: "low", integrity: "low", availability: "low" } as const;
    expect(categoryOfAll([contract, administrative])).toEqual({ confidentiality: "moderate", integrity: "moderate", availability: "low" });
    expect(highWaterMark(contract)).toBe("moderate");
    expect(categoryOfAll([])).toBeNull();
  });
});
