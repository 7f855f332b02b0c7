import { scaleLog } from "d3";
import { durationWords } from "#core/wording/amounts.ts";
import type { Cell } from "./queries.ts";

const SHORTEST = 60;
const LONGEST = 14 * 86_400;
const scale = scaleLog([SHORTEST, LONGEST], [2, 92]).clamp(true);
export const AGE_TICKS: readonly [number, string][] = [
  [60, "1 min"],
  [3_600, "1 h"],
  [86_400, "1 d"],
  [7 * 86_400, "7 d"],
];
export const agePercent = (seconds: number): number => scale(Math.max(SHORTEST, seconds));

/** The age of the newest whole copy against the RPO: one bar, one bracket, one mark at its end. */
export function AgeCell({ cell, rpo, lost }: { cell: Cell; rpo: number | null; lost: boolean }) {
  const late = cell !== null && rpo !== null && cell.age > rpo;
  const colour = lost ? "var(--bar-pale)" : late ? "var(--late)" : "var(--bar)";
  const end = cell ? agePercent(cell.age) : 0;
  return (
    <svg className="block h-6 w-full overflow-visible" role="img" aria-label={words(cell, late, lost)}>
      <title>{words(cell, late, lost)}</title>
      {cell === null && <line x1="2%" x2="92%" y1="12" y2="12" stroke="var(--line-strong)" strokeDasharray="1 4" />}
      {cell && cell.state !== "damaged" && <rect x="2%" width={`${Math.max(0.5, end - 2)}%`} y="9" height="6" fill={colour} />}
      {rpo !== null && (
        <svg x={`${agePercent(rpo)}%`} y="12" overflow="visible">
          <path d="M-4 -7H0V7H-4" fill="none" stroke={lost ? "var(--line-strong)" : "var(--ink)"} strokeWidth="1.4" />
        </svg>
      )}
      {cell && (
        <svg x={`${end}%`} y="12" overflow="visible">
          {cell.state === "damaged" || cell.damagedNewer ? (
            <path d="M6 -4L14 4M14 -4L6 4" stroke="var(--late)" strokeWidth="1.8" />
          ) : cell.state === "predicted" ? (
            <circle cx="9" r="3.5" fill="var(--ground)" stroke={colour} strokeDasharray="2 1.5" />
          ) : (
            <circle cx="9" r="3.5" fill={colour} />
          )}
        </svg>
      )}
    </svg>
  );
}

function words(cell: Cell, late: boolean, lost: boolean): string {
  if (!cell) return "no copy";
  const parts = [
    cell.state === "damaged" ? "damaged" : `${durationWords(cell.age)} old`,
    ...(cell.damagedNewer ? ["a newer one is damaged"] : []),
    ...(cell.state === "predicted" ? ["by schedule"] : []),
    ...(late ? ["older than the RPO"] : []),
    ...(lost ? ["lost with its store"] : []),
  ];
  return parts.join(", ");
}
