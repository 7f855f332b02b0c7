import { byId, type Estate, type Place, type Site } from "#core/estate/model.ts";

/** The part of GeoJSON (RFC 7946) that sites need: longitude before latitude, WGS 84. */
type Feature =
  | { type: "Feature"; id: string; geometry: { type: "Point"; coordinates: [number, number] }; properties: Record<string, unknown> }
  | { type: "Feature"; id: string; geometry: { type: "LineString"; coordinates: [number, number][] }; properties: Record<string, unknown> };
export type SitesGeoJson = { type: "FeatureCollection"; features: Feature[] };

export class GeoJsonError extends Error {
  override readonly name = "GeoJsonError";
}

const position = (place: Place): [number, number] => [place.longitude, place.latitude];

/** Sites whose place is known as points, and lines between two of these. */
export function writeSitesGeoJson(estate: Estate): SitesGeoJson {
  const places = new Map(estate.sites.flatMap((s) => (s.place ? [[s.id, s.place] as const] : [])));
  const points = estate.sites.flatMap((s): Feature[] => (s.place ? [{ type: "Feature", id: s.id, geometry: { type: "Point", coordinates: position(s.place) }, properties: { name: s.name, kind: s.kind, country: s.country, ...(s.timeZone ? { timeZone: s.timeZone } : {}) } }] : []));
  const lines = estate.links.flatMap((l): Feature[] => {
    const ends = l.between.map((id) => places.get(id));
    return ends[0] && ends[1] ? [{ type: "Feature", id: l.id, geometry: { type: "LineString", coordinates: [position(ends[0]), position(ends[1])] }, properties: { between: l.between, bytesPerSecond: l.rate, latencyMs: l.latencyMs } }] : [];
  });
  return { type: "FeatureCollection", features: [...points, ...lines] };
}

/**
 * The estate with sites placed as the points of a GeoJSON file say: known ids are moved, others
 * are new sites. Lines and other shapes are left aside. Throws `GeoJsonError` with what would be right.
 */
export function readSitesGeoJson(text: string, over: Estate): Estate {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new GeoJsonError(`the file is not JSON: ${(error as Error).message}`);
  }
  const collection = value as { type?: unknown; features?: unknown };
  if (collection?.type !== "FeatureCollection" || !Array.isArray(collection.features)) throw new GeoJsonError("the file is no GeoJSON FeatureCollection");
  const sites = byId(over.sites);
  const fresh = new Map<string, Site>();
  for (const [i, feature] of (collection.features as Feature[]).entries()) {
    const where = `feature ${i + 1}`;
    if (feature?.type !== "Feature") throw new GeoJsonError(`${where} is no Feature`);
    if (feature.geometry?.type !== "Point") continue;
    const [longitude, latitude] = feature.geometry.coordinates ?? [];
    if (typeof longitude !== "number" || typeof latitude !== "number" || Math.abs(longitude) > 180 || Math.abs(latitude) > 90) throw new GeoJsonError(`${where} has no place on the globe: longitude (−180 to 180) stands before latitude (−90 to 90)`);
    const id = feature.id === undefined ? undefined : String(feature.id);
    if (!id || !/^[a-z][a-z0-9-]*$/.test(id)) throw new GeoJsonError(`${where} needs an id of small letters, digits and hyphens`);
    if (fresh.has(id)) throw new GeoJsonError(`${where} has the id ${id} of an earlier one`);
    const { name, kind, country, timeZone } = (feature.properties ?? {}) as Record<string, unknown>;
    const old = sites.get(id);
    if (!old && (typeof name !== "string" || (kind !== "room" && kind !== "region") || typeof country !== "string" || !/^[A-Z]{2}$/.test(country)))
      throw new GeoJsonError(`${where} is a new site and needs the properties name, kind (room or region) and country (two capitals)`);
    const base = old ?? { id, name: name as string, kind: kind as Site["kind"], country: country as string, ...(typeof timeZone === "string" ? { timeZone } : {}) };
    fresh.set(id, { ...base, place: { latitude, longitude } });
  }
  if (fresh.size === 0) throw new GeoJsonError("the file has no point");
  return { ...over, sites: [...over.sites.map((s) => fresh.get(s.id) ?? s), ...[...fresh.values()].filter((s) => !sites.has(s.id))] };
}
