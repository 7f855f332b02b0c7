import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { laySites, linkLine, MAP, outline } from "./estate-map.ts";

const place = fc.record({ latitude: fc.double({ min: -85, max: 85, noNaN: true }), longitude: fc.double({ min: -180, max: 180, noNaN: true }) });
const sites = fc
  .array(fc.record({ place: fc.option(place), machines: fc.nat(400) }), { minLength: 1, maxLength: 6 })
  .map((rows) => rows.map((row, i) => ({ id: `s${i}`, ...row })));

describe("the map of sites", () => {
  it("has every site on the drawing, those with a place apart from each other, whatever is known of them", () => {
    fc.assert(
      fc.property(sites, (all) => {
        const spots = laySites(all, "s0");
        expect([...spots.keys()].sort()).toEqual(all.map((s) => s.id).sort());
        for (const { x, y, r } of spots.values()) expect(x - r >= 0 && x + r <= MAP.width && y - r >= 0 && y + r <= MAP.height).toBe(true);
        const placed = all.filter((s) => s.place).map((s) => spots.get(s.id)!);
        for (const a of placed) for (const b of placed) if (a !== b) expect(Math.hypot(a.x - b.x, a.y - b.y)).toBeGreaterThan(a.r + b.r);
        expect(outline(placed)?.path ?? "M").toMatch(/^M(?!.*NaN)/);
      }),
      { numRuns: 200 },
    );
  });

  it("shows directions as they are from home: north is up, east is right", () => {
    const at = (latitude: number, longitude: number) => ({ latitude, longitude });
    const spots = laySites([{ id: "home", place: at(58, 24), machines: 9 }, { id: "north", place: at(63, 24), machines: 1 }, { id: "east", place: at(57.9, 40), machines: 1 }], "home");
    const [home, north, east] = ["home", "north", "east"].map((id) => spots.get(id)!) as [NonNullable<ReturnType<typeof spots.get>>, NonNullable<ReturnType<typeof spots.get>>, NonNullable<ReturnType<typeof spots.get>>];
    expect(Math.abs(north.x - home.x)).toBeLessThan(2);
    expect(north.y).toBeLessThan(home.y - 50);
    expect(east.x).toBeGreaterThan(home.x + 50);
    const line = linkLine(home, north, spots.values());
    // From rim to rim.
    expect(Math.hypot(line.x1 - line.x2, line.y1 - line.y2)).toBeCloseTo(Math.hypot(home.x - north.x, home.y - north.y) - home.r - north.r, 6);
  });
});
