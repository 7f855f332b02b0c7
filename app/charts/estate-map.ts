import * as d3 from "d3";
import type { Place } from "#core/estate/model.ts";

/** A drawing of 1,000 by 560 units. */
export const MAP = { width: 1_000, height: 560 };
const MARGIN = { top: 80, right: 110, bottom: 80, left: 110 };
/** Circles, their names above and gauges beneath keep clear of each other. */
const CLEAR = 62;

export const siteRadius = (machines: number): number => 16 + Math.min(22, 4.2 * Math.sqrt(machines));

export type Spot = { id: string; x: number; y: number; r: number };

/**
 * Where sites are drawn: by their place on the globe (Mercator), fitted to the drawing and pushed
 * apart where they would cover each other. Sites without a place stand in a row at the bottom.
 */
export function laySites(sites: readonly { id: string; place: Place | null; machines: number }[]): Map<string, Spot> {
  const placed = sites.filter((s) => s.place);
  const points = { type: "MultiPoint" as const, coordinates: placed.map((s) => [s.place!.longitude, s.place!.latitude]) };
  const frame: [[number, number], [number, number]] = [
    [MARGIN.left, MARGIN.top],
    [MAP.width - MARGIN.right, MAP.height - MARGIN.bottom],
  ];
  const projection = d3.geoMercator();
  if (placed.length > 1) projection.fitExtent(frame, points);
  else if (placed.length === 1) projection.center([placed[0]!.place!.longitude, placed[0]!.place!.latitude]).translate([MAP.width / 2, MAP.height / 2]);
  const spots = placed.map((s) => {
    const [x, y] = projection([s.place!.longitude, s.place!.latitude])!;
    return { id: s.id, r: siteRadius(s.machines), home: { x, y }, x, y };
  });
  const simulation = d3
    .forceSimulation(spots)
    .force("x", d3.forceX<(typeof spots)[number]>((s) => s.home.x).strength(0.25))
    .force("y", d3.forceY<(typeof spots)[number]>((s) => s.home.y).strength(0.25))
    .force("apart", d3.forceCollide<(typeof spots)[number]>((s) => s.r + CLEAR - 16).iterations(4))
    .stop();
  simulation.tick(160);
  const clamp = (value: number, low: number, high: number): number => Math.max(low, Math.min(high, value));
  const all = spots.map(({ id, x, y, r }): Spot => ({ id, r, x: clamp(x, MARGIN.left / 2, MAP.width - MARGIN.right / 2), y: clamp(y, MARGIN.top, MAP.height - MARGIN.bottom) }));
  const without = sites.filter((s) => !s.place);
  without.forEach((s, i) => all.push({ id: s.id, r: siteRadius(s.machines), x: ((i + 1) * MAP.width) / (without.length + 1), y: MAP.height - MARGIN.bottom / 2 }));
  return new Map(all.map((s) => [s.id, s]));
}

/** A closed line around some sites. */
export function outline(spots: readonly Spot[]): { path: string; labelAt: { x: number; y: number } } | null {
  if (spots.length === 0) return null;
  const rim = spots.flatMap((s) => d3.range(0, 2 * Math.PI, Math.PI / 8).map((a): [number, number] => [s.x + Math.cos(a) * (s.r + 24), s.y + Math.sin(a) * (s.r + 24)]));
  const hull = d3.polygonHull(rim)!;
  const lowest = hull.reduce((a, b) => (b[1] > a[1] ? b : a));
  return { path: d3.line().curve(d3.curveCatmullRomClosed.alpha(0.6))(hull)!, labelAt: { x: lowest[0], y: lowest[1] + 16 } };
}

/** A line from rim to rim, and where its words stand, beside it and upright. */
export function linkLine(a: Spot, b: Spot): { x1: number; y1: number; x2: number; y2: number; label: { x: number; y: number } } {
  const length = Math.hypot(b.x - a.x, b.y - a.y) || 1;
  const [ux, uy] = [(b.x - a.x) / length, (b.y - a.y) / length];
  const [x1, y1, x2, y2] = [a.x + ux * a.r, a.y + uy * a.r, b.x - ux * b.r, b.y - uy * b.r];
  // On the lower side of the line, so that names above the circles stay free.
  const side = ux >= 0 ? 1 : -1;
  return { x1, y1, x2, y2, label: { x: (x1 + x2) / 2 - uy * side * 12, y: (y1 + y2) / 2 + ux * side * 16 } };
}

/** Width of a line by its rate: a gigabit is drawn 5 wide, each tenfold 2.2 more or less. */
export const lineWidth = (bytesPerSecond: number): number => Math.max(1.2, 5 + 2.2 * Math.log10(Math.max(1, bytesPerSecond) / 125_000_000));
