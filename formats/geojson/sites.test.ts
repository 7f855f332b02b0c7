import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { smallEstate } from "#core/tests/small-estate.ts";
import { GeoJsonError, readSitesGeoJson, writeSitesGeoJson } from "./sites.ts";

// JSON knows no negative zero.
const degrees = (most: number) => fc.double({ min: -most, max: most, noNaN: true }).map((x) => x + 0);
const place = fc.record({ latitude: degrees(90), longitude: degrees(180) });
const point = (id: unknown, coordinates: unknown, properties: Record<string, unknown> = {}): unknown => ({ type: "Feature", id, geometry: { type: "Point", coordinates }, properties });
const text = (...features: unknown[]): string => JSON.stringify({ type: "FeatureCollection", features });

describe("sites as GeoJSON", () => {
  it("come back with their places, onto an estate that has none and onto itself", () => {
    fc.assert(
      fc.property(fc.array(fc.option(place, { nil: undefined }), { minLength: 3, maxLength: 3 }), (places) => {
        const estate = smallEstate((e) => e.sites.forEach((s, i) => places[i] && (s.place = places[i])));
        const written = writeSitesGeoJson(estate);
        for (const f of written.features) for (const [longitude, latitude] of f.geometry.type === "Point" ? [f.geometry.coordinates] : f.geometry.coordinates) expect([Math.abs(longitude) <= 180, Math.abs(latitude) <= 90]).toEqual([true, true]);
        expect(written.features.filter((f) => f.geometry.type === "LineString")).toHaveLength(estate.links.filter((l) => l.between.every((id) => estate.sites.find((s) => s.id === id)!.place)).length);
        if (places.every((p) => !p)) return void expect(() => readSitesGeoJson(JSON.stringify(written), estate)).toThrow("has no point");
        expect(readSitesGeoJson(JSON.stringify(written), smallEstate())).toEqual(estate);
        expect(readSitesGeoJson(JSON.stringify(written), estate)).toEqual(estate);
      }),
    );
  });

  it("add new sites that say what is needed, and are refused otherwise with what would be right", () => {
    expect(readSitesGeoJson(text(point("north", [21.6, 63.1], { name: "North", kind: "region", country: "FI" })), smallEstate()).sites.at(-1)).toEqual({ id: "north", name: "North", kind: "region", country: "FI", place: { latitude: 63.1, longitude: 21.6 } });
    const wrong: [string, RegExp][] = [
      ["{", /^the file is not JSON/],
      ["[]", /no GeoJSON FeatureCollection/],
      [text({ type: "Point" }), /^feature 1 is no Feature/],
      [text(point("quay", [63.1, 121.6])), /feature 1 has no place on the globe: longitude .* stands before latitude/],
      [text(point("Quay 1", [1, 2])), /feature 1 needs an id/],
      [text(point("quay", [1, 2]), point("quay", [1, 2])), /feature 2 has the id quay of an earlier one/],
      [text(point("new", [1, 2], { name: "New", kind: "room", country: "Finland" })), /is a new site and needs the properties/],
    ];
    for (const [file, words] of wrong) expect(() => readSitesGeoJson(file, smallEstate()), file).toThrow(words);
    for (const [file] of wrong) expect(() => readSitesGeoJson(file, smallEstate())).toThrow(GeoJsonError);
  });
});
