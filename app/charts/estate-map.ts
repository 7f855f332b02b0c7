import * as d3 from "d3";
import type { Place } from "#core/estate/model.ts";

/** A drawing of 1,000 by 580 units. */
export const MAP = { width: 1_000, height: 580 };
const MARGIN = { top: 84, right: 120, bottom: 84, left: 120 };
/** Circles, their names above and gauges beneath keep clear of each other. */
const CLEAR = 46;

export const siteRadius = (machines: number): number => 16 + Math.min(22, 4.2 * Math.sqrt(machines));

export type Spot = { id: string; x: number; y: number; r: number };

/**
 * Where sites are drawn, seen from home: every site in its true direction, its distance by its
 * cube root, so that a yard next door and a region far away have room on one drawing; pushed
 * apart where they would cover each other. Sites without a place stand in a row at the bottom.
 */
export function laySites(sites: readonly { id: string; place: Place | null; machines: number }[], homeId: string): Map<string, Spot> {
  const placed = sites.filter((s) => s.place);
  const home = (placed.find((s) => s.id === homeId) ?? placed[0])?.place;
  const globe = d3.geoAzimuthalEquidistant().scale(1).translate([0, 0]);
  if (home) globe.rotate([-home.longitude, -home.latitude]);
  const seen = placed.map((s): [number, number] => {
    const [x, y] = globe([s.place!.longitude, s.place!.latitude])!;
    const far = Math.hypot(x, y);
    return far === 0 ? [0, 0] : [x / far ** (2 / 3), y / far ** (2 / 3)];
  });
  const [left, right] = d3.extent(seen, ([x]) => x) as [number, number];
  const [top, bottom] = d3.extent(seen, ([, y]) => y) as [number, number];
  const inner = { width: MAP.width - MARGIN.left - MARGIN.right, height: MAP.height - MARGIN.top - MARGIN.bottom };
  const scale = Math.min(inner.width / Math.max(1e-9, right - left), inner.height / Math.max(1e-9, bottom - top), 1e6);
  const spots = placed.map((s, i) => {
    const x = MAP.width / 2 + (seen[i]![0] - (left + right) / 2) * scale;
    const y = MARGIN.top + inner.height / 2 + (seen[i]![1] - (top + bottom) / 2) * scale;
    return { id: s.id, r: siteRadius(s.machines), home: { x, y }, x, y };
  });
  const clamp = (value: number, low: number, high: number): number => Math.max(low, Math.min(high, value));
  const inside = (): void => {
    for (const s of spots) {
      s.x = clamp(s.x, MARGIN.left / 2, MAP.width - MARGIN.right / 2);
      s.y = clamp(s.y, MARGIN.top, MAP.height - MARGIN.bottom);
    }
  };
  // Held inside while they are pushed apart: held afterwards only, those beyond the edge would cover each other there.
  const simulation = d3
    .forceSimulation(spots)
    .force("x", d3.forceX<(typeof spots)[number]>((s) => s.home.x).strength(0.25))
    .force("y", d3.forceY<(typeof spots)[number]>((s) => s.home.y).strength(0.25))
    .force("inside", inside)
    .force("apart", d3.forceCollide<(typeof spots)[number]>((s) => s.r + CLEAR).iterations(4))
    .stop();
  simulation.tick(160);
  inside();
  const all = spots.map(({ id, x, y, r }): Spot => ({ id, r, x, y }));
  const without = sites.filter((s) => !s.place);
  without.forEach((s, i) => all.push({ id: s.id, r: siteRadius(s.machines), x: ((i + 1) * MAP.width) / (without.length + 1), y: MAP.height - MARGIN.bottom / 2 }));
  return new Map(all.map((s) => [s.id, s]));
}

/** A closed line around some sites. */
export function outline(spots: readonly Spot[]): { path: string; labelAt: { x: number; y: number } } | null {
  if (spots.length === 0) return null;
  const rim = spots.flatMap((s) => d3.range(0, 2 * Math.PI, Math.PI / 8).map((a): [number, number] => [s.x + Math.cos(a) * (s.r + 36), s.y + Math.sin(a) * (s.r + 36)]));
  const hull = d3.polygonHull(rim)!;
  const lowest = hull.reduce((a, b) => (b[1] > a[1] ? b : a));
  return { path: d3.line().curve(d3.curveCatmullRomClosed.alpha(0.6))(hull)!, labelAt: { x: lowest[0], y: lowest[1] + 16 } };
}

/** A line from rim to rim, and where its words stand: on the side that is farther from what is written at the sites. */
export function linkLine(a: Spot, b: Spot, all: Iterable<Spot>): { x1: number; y1: number; x2: number; y2: number; label: { x: number; y: number; anchor: "start" | "end" | "middle" } } {
  const length = Math.hypot(b.x - a.x, b.y - a.y) || 1;
  const [ux, uy] = [(b.x - a.x) / length, (b.y - a.y) / length];
  const [x1, y1, x2, y2] = [a.x + ux * a.r, a.y + uy * a.r, b.x - ux * b.r, b.y - uy * b.r];
  const taken = [...all].flatMap((s) => [s, { x: s.x, y: s.y - s.r - 18 }, { x: s.x, y: s.y + s.r + 20 }]);
  const steep = Math.abs(uy) > 0.5;
  const sides = [1, -1].map((side) => {
    const x = (x1 + x2) / 2 - uy * side * 10;
    const y = (y1 + y2) / 2 + ux * side * (steep ? 10 : 18) + 4;
    const anchor = !steep ? ("middle" as const) : -uy * side > 0 ? ("start" as const) : ("end" as const);
    const middle = x + (anchor === "start" ? 32 : anchor === "end" ? -32 : 0);
    return { label: { x, y, anchor }, room: Math.min(...taken.map((t) => Math.hypot((t.x - middle) / 1.6, t.y - y))) };
  });
  return { x1, y1, x2, y2, label: sides.reduce((best, s) => (s.room > best.room ? s : best)).label };
}

/** Width of a line by its rate: a gigabit is drawn 5 wide, each tenfold 2.2 more or less. */
export const lineWidth = (bytesPerSecond: number): number => Math.max(1.2, 5 + 2.2 * Math.log10(Math.max(1, bytesPerSecond) / 125_000_000));
