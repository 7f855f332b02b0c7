import { scaleLog } from "d3";

/** What is shorter is drawn at the floor. */
export const FLOOR_SECONDS = 10;
const LEAST_LEFT = 86_400;
const LEAST_RIGHT = 3 * 86_400;

/** Marks of the axis; where there is little room only the major ones are lettered. */
const STEPS: readonly [number, string][] = [
  [60, "1 min"],
  [300, "5"],
  [900, "15"],
  [3_600, "1 h"],
  [4 * 3_600, "4 h"],
  [86_400, "1 d"],
  [3 * 86_400, "3 d"],
  [14 * 86_400, "14 d"],
];

const MAJOR: readonly number[] = [60, 900, 4 * 3_600, 3 * 86_400];

/** One axis for many services: the outage in the middle, time on both sides logarithmic; percent of the width. */
export type RulerScale = { centre: number; left: (seconds: number) => number; right: (seconds: number) => number; ticks: { percent: number; text: string; side: "left" | "right"; seconds: number; major: boolean }[] };

export function rulerScale(longestLoss: number, longestAway: number): RulerScale {
  const left = Math.max(LEAST_LEFT, longestLoss) * 1.4;
  const right = Math.max(LEAST_RIGHT, longestAway) * 1.25;
  const decades = (top: number): number => Math.log10(top / FLOOR_SECONDS);
  const centre = (decades(left) / (decades(left) + decades(right))) * 100;
  const toLeft = scaleLog().domain([FLOOR_SECONDS, left]).range([centre, 0]).clamp(true);
  const toRight = scaleLog().domain([FLOOR_SECONDS, right]).range([centre, 100]).clamp(true);
  const at = (seconds: number): number => Math.max(FLOOR_SECONDS, seconds);
  const ticks = (["left", "right"] as const).flatMap((side) =>
    STEPS.filter(([seconds]) => seconds < (side === "left" ? left : right) / 1.1).map(([seconds, text]) => ({ side, text, seconds, major: MAJOR.includes(seconds), percent: (side === "left" ? toLeft : toRight)(seconds) })),
  );
  return { centre, left: (s) => toLeft(at(s)), right: (s) => toRight(at(s)), ticks };
}
