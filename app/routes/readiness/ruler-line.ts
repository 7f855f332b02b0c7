import { TIGHT_SHARE, type Verdict } from "#core/readiness/readiness.ts";
import type { RulerLine, State } from "../../charts/ruler.tsx";
import type { ReadinessRow } from "./queries.ts";

const state = (value: number, target: number): State => (value > target ? "late" : value > target * (1 - TIGHT_SHARE) ? "tight" : "within");

/** What the ruler draws of a service's readiness. */
export function rulerLine(row: ReadinessRow): RulerLine {
  const { recovery, loss } = row;
  return {
    loss: loss?.seconds ?? null,
    away: recovery?.serviceable ?? null,
    cuts: recovery ? [...new Set([recovery.detected, recovery.declared, recovery.coordinatorReady])] : [],
    rpo: row.rpo,
    rto: row.rto,
    mtd: row.mtd,
    lossState: loss ? state(loss.seconds, row.rpo) : "within",
    awayState: recovery ? state(recovery.serviceable, row.rto) : "within",
    rehearsed: row.proof === null || row.proof.withOpening === null ? null : { seconds: row.proof.withOpening, grade: row.proof.grade },
    returns: row.verdict !== "cannot-return" && row.verdict !== "stays-up",
    staysUp: row.verdict === "stays-up",
  };
}

/** The colour of a verdict's words; texture and words say the same. */
export function verdictTone(verdict: Verdict): string {
  switch (verdict) {
    case "late":
    case "loses-too-much":
    case "late-and-loses-too-much":
    case "cannot-return":
      return "text-late";
    case "tight":
      return "text-tight";
    case "in-time":
      return "text-ink";
    case "stays-up":
      return "text-soft";
  }
}
