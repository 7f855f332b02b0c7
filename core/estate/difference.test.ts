import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { smallEstate } from "../tests/small-estate.ts";
import { difference, LIST_KINDS, merged } from "./difference.ts";
import { distanceMetres } from "./distance.ts";
import type { Estate } from "./model.ts";

/** The small estate with some items gone, some changed and some new. */
const estates = fc.record({ gone: fc.array(fc.tuple(fc.constantFrom(...LIST_KINDS), fc.nat(3)), { maxLength: 4 }), cores: fc.integer({ min: 1, max: 3 }), more: fc.array(fc.constantFrom("north", "south", "east"), { maxLength: 3 }), crew: fc.integer({ min: 1, max: 2 }) }).map(({ gone, cores, more, crew }) =>
  smallEstate((e) => {
    e.machines[0]!.cores = cores;
    e.assumptions.crew = crew;
    for (const id of new Set(more)) e.sites.push({ id, name: id, kind: "region", country: "SE" });
    for (const [kind, at] of gone) (e[kind] as unknown[]).splice(at, 1);
  }),
);

describe("the difference of two estates", () => {
  it("is nothing exactly between equals, and turned round tells the opposite", () => {
    fc.assert(
      fc.property(estates, estates, (a, b) => {
        expect(difference(a, structuredClone(a))).toEqual([]);
        const there = difference(a, b);
        const back = difference(b, a);
        const opposite = { appears: "goes", goes: "appears", changes: "changes" };
        const key = (d: (typeof there)[number], change: string): string => `${d.kind}/${d.id} ${change}`;
        expect(there.map((d) => key(d, d.change)).sort()).toEqual(back.map((d) => key(d, opposite[d.change])).sort());
        for (const d of there) for (const f of d.fields) expect(back.find((x) => x.kind === d.kind && x.id === d.id)!.fields).toContainEqual({ path: f.path, before: f.after, after: f.before });
      }),
    );
  });

  it("is gone once it was merged, but for what would go; merging twice changes nothing more", () => {
    fc.assert(
      fc.property(estates, estates, (a, b) => {
        const both = merged(a, b);
        expect(difference(a, both)).toEqual(difference(a, b).filter((d) => d.change !== "goes"));
        expect(difference(both, b).every((d) => d.change === "goes")).toBe(true);
        expect(merged(both, b)).toEqual(both);
      }),
    );
  });

  it("names the field, before and after", () => {
    const change = (by: (e: Estate) => void): ReturnType<typeof difference> => difference(smallEstate(), smallEstate(by));
    expect(change((e) => (e.machines[0]!.change.hot = 5))).toEqual([{ kind: "machines", id: "db", change: "changes", fields: [{ path: "change.hot", before: 2 * 2 ** 30, after: 5 }] }]);
    expect(change((e) => (e.sites[0]!.timeZone = "Europe/Oslo"))[0]!.fields).toEqual([{ path: "timeZone", before: null, after: "Europe/Oslo" }]);
  });
});

describe("distances", () => {
  it("agree with published geodesics on the ellipsoid", () => {
    // Flinders Peak to Buninyong: 54 972.271 m, Geocentric Datum of Australia technical manual (GRS 80, which differs from WGS 84 by less than a millimetre here).
    const dms = (d: number, m: number, s: number): number => Math.sign(d) * (Math.abs(d) + m / 60 + s / 3_600);
    const flinders = { latitude: dms(-37, 57, 3.7203), longitude: dms(144, 25, 29.5244) };
    const buninyong = { latitude: dms(-37, 39, 10.1561), longitude: dms(143, 55, 35.3839) };
    expect(Math.abs(distanceMetres(flinders, buninyong) - 54_972.271)).toBeLessThan(0.005);
    // A quarter of the meridian on WGS 84 is 10 001 965.729 m.
    expect(distanceMetres({ latitude: 0, longitude: 20 }, { latitude: 90, longitude: 0 })).toBeCloseTo(10_001_965.729, 2);
  });

  it("are a metric: the same both ways, nothing to itself, never longer by way of a third", () => {
    const place = fc.record({ latitude: fc.double({ min: -90, max: 90, noNaN: true }), longitude: fc.double({ min: -180, max: 180, noNaN: true }) });
    fc.assert(
      fc.property(place, place, place, (a, b, c) => {
        expect(distanceMetres(a, a)).toBe(0);
        expect(distanceMetres(a, b)).toBeCloseTo(distanceMetres(b, a), 3);
        expect(distanceMetres(a, c)).toBeLessThanOrEqual(distanceMetres(a, b) + distanceMetres(b, c) + 0.01);
      }),
    );
  });
});
