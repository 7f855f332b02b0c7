import { KEEPS_TARGETS } from "#core/readiness/readiness.ts";
import type { ReadinessRow } from "./queries.ts";

/** Rows under headings, by the order asked for. */
export function groupRows(rows: readonly ReadinessRow[], order: "tier" | "verdict" | "owner"): { heading: string; note: string; rows: ReadinessRow[] }[] {
  const tierNotes = ["", "minutes matter", "within the hours", "today", "this week"];
  const keyed = rows.map((row) => ({ row, key: order === "tier" ? `Tier ${row.tier}` : order === "owner" ? row.owner.replace(/^./, (c) => c.toUpperCase()) : verdictGroup(row) }));
  const keys = [...new Set(keyed.map((k) => k.key))].sort((a, b) => (order === "verdict" ? VERDICT_ORDER.indexOf(a) - VERDICT_ORDER.indexOf(b) : a.localeCompare(b)));
  return keys.map((key) => ({ heading: key, note: order === "tier" ? (tierNotes[Number(key.slice(-1))] ?? "") : "", rows: keyed.filter((k) => k.key === key).map((k) => k.row) }));
}

const VERDICT_ORDER = ["Cannot return", "Misses a target", "Tight", "In time", "Not touched"];
const verdictGroup = (row: ReadinessRow): string =>
  row.verdict === "cannot-return" ? "Cannot return" : row.verdict === "stays-up" ? "Not touched" : row.verdict === "tight" ? "Tight" : KEEPS_TARGETS.includes(row.verdict) ? "In time" : "Misses a target";
