import geographicLib from "geographiclib-geodesic";
import type { Place } from "./model.ts";

/**
 * Length in metres of the shortest line on the WGS 84 ellipsoid, by Karney's algorithm
 * (GeographicLib; Karney, Algorithms for geodesics, J. Geodesy 87, 2013).
 */
export function distanceMetres(a: Place, b: Place): number {
  return geographicLib.Geodesic.WGS84.Inverse(a.latitude, a.longitude, b.latitude, b.longitude).s12!;
}
