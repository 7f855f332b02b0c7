import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Estate } from "../estate/model.ts";
import { smallEstate } from "../tests/small-estate.ts";
import { outageOf, serviceStates } from "./closure.ts";
import { placeAlone } from "./place-alone.ts";
import { singlePoints } from "./single-points.ts";

/** Estates of some hosts, machines on them, services of these machines that hang on each other as it comes. */
const estates: fc.Arbitrary<Estate> = fc
  .record({
    on: fc.array(fc.nat(3), { minLength: 6, maxLength: 6 }),
    services: fc.array(fc.record({ tier: fc.integer({ min: 1, max: 4 }), rto: fc.integer({ min: 60, max: 9_000 }), machines: fc.uniqueArray(fc.nat(5), { maxLength: 3 }), needs: fc.array(fc.tuple(fc.nat(7), fc.boolean()), { maxLength: 3 }) }), { minLength: 8, maxLength: 8 }),
  })
  .map(({ on, services }) =>
    smallEstate((e) => {
      const [host] = e.hosts;
      const [machine] = e.machines;
      const [service] = e.services;
      e.hosts = [0, 1, 2, 3].map((i) => ({ ...host!, id: `h${i}`, site: i < 2 ? "quay" : "yard" }));
      e.machines = on.map((h, i) => ({ ...machine!, id: `m${i}`, host: `h${h}` }));
      e.services = services.map((s, i) => ({ ...service!, id: `s${i}`, tier: s.tier as 1, rto: s.rto, machines: s.machines.map((m) => `m${m}`), dependsOn: s.needs.filter(([n]) => n !== i).map(([n, hard]) => ({ service: `s${n}`, strength: hard ? "hard" : "soft" })) }));
      e.policies = [];
    }),
  );

describe("single points", () => {
  it("are ranked by what the closure says goes down with each host alone, and none is left out", () => {
    fc.assert(
      fc.property(estates, (estate) => {
        const points = singlePoints(estate, 1);
        for (const host of estate.hosts) {
          const states = serviceStates(estate, outageOf(estate, [host.id]));
          const down = estate.services.filter((s) => states.get(s.id)!.kind === "down").map((s) => s.id);
          expect(points.find((p) => p.kind === "host" && p.id === host.id)?.services ?? []).toEqual(down);
        }
        for (const [i, p] of points.entries()) {
          expect(p.byTier.reduce((a, b) => a + b)).toBe(p.services.length);
          expect(p.tightestRto).toBe(Math.min(...p.services.map((id) => estate.services.find((s) => s.id === id)!.rto)));
          // No later one takes more of the first tier.
          if (i > 0) expect(p.byTier[0]).toBeLessThanOrEqual(points[i - 1]!.byTier[0]!);
        }
      }),
    );
  });
});

describe("where machines would land", () => {
  it("is never at the site that they lost, and never more than a host has", () => {
    fc.assert(
      fc.property(estates, (estate) => {
        const hosts = new Map(estate.hosts.map((h) => [h.id, h]));
        const landed = placeAlone(estate);
        for (const [machine, host] of landed) expect(hosts.get(host)!.site).not.toBe(hosts.get(machine.host)!.site);
        expect(new Set(landed.map(([m]) => m.id)).size).toBe(landed.length);
        for (const site of ["quay", "yard"])
          for (const host of estate.hosts.filter((h) => h.site !== site)) {
            const there = [...estate.machines.filter((m) => m.host === host.id), ...landed.filter(([m, h]) => h === host.id && hosts.get(m.host)!.site === site).map(([m]) => m)];
            if (landed.some(([, h]) => h === host.id)) expect(there.reduce((n, m) => n + m.cores, 0)).toBeLessThanOrEqual(host.cores);
          }
      }),
    );
  });
});
