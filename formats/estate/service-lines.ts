import type { RawCheck, RawEstate } from "./raw-estate.ts";

type RawService = RawEstate["services"][number];

/** Lists of a service as people type them: one item a line, its parts parted by `|`. Dashes stand for days in a row. */
const parts = (line: string): string[] => line.split("|").map((p) => p.trim());
const lines = (text: string): string[] => text.split(/\r?\n/).map((l) => l.trim()).filter(Boolean);
const joined = (...of: (string | undefined)[]): string => of.join(" | ").replace(/[ |]+$/, "");
const only = <K extends string>(key: K, value: string | undefined): { [P in K]?: string } => (value ? ({ [key]: value } as { [P in K]?: string }) : {});

/** `1 h | fares go unsold | moderate`: after how long, what is felt, how badly (may be left out). */
export const impactLines = (impact: RawService["impact"]): string => (impact ?? []).map((i) => joined(i.after, i.what, i.level)).join("\n");
export const readImpactLines = (text: string): NonNullable<RawService["impact"]> => lines(text).map((line) => {
  const [after = "", what = "", level] = parts(line);
  return { after, what, ...only("level", level) } as NonNullable<RawService["impact"]>[number];
});

/** `1-5 | 07:00 | 18:00`: days 1 = Monday to 7 = Sunday, from, to. */
export const hoursLines = (hours: RawService["hours"]): string => (hours ?? []).map((h) => joined(daysText(h.days), h.from, h.to)).join("\n");
export const readHoursLines = (text: string): NonNullable<RawService["hours"]> => lines(text).map((line) => {
  const [days = "", from = "", to = ""] = parts(line);
  return { days: readDays(days), from, to };
});

/** `head of sales | telephone 20`. */
export const contactLines = (contacts: RawService["contacts"]): string => (contacts ?? []).map((c) => joined(c.role, c.reach)).join("\n");
export const readContactLines = (text: string): NonNullable<RawService["contacts"]> => lines(text).map((line) => {
  const [role = "", reach = ""] = parts(line);
  return { role, reach };
});

/** `http | 20 s | http://shop.example/health` or `command | 5 s | database ready | db-1`. */
export const checkLines = (checks: readonly RawCheck[]): string => checks.map((c) => joined(c.kind, c.takes, c.to, c.machine)).join("\n");
export const readCheckLines = (text: string): RawCheck[] => lines(text).map((line) => {
  const [kind = "", takes = "", to, machine] = parts(line);
  return { kind, takes, ...only("to", to), ...only("machine", machine) } as RawCheck;
});

/** `1-5` for Monday to Friday, `1,3,5-7` for some. */
export function daysText(days: readonly number[]): string {
  const runs: [number, number][] = [];
  for (const day of [...new Set(days)].sort((a, b) => a - b)) {
    const last = runs.at(-1);
    if (last && last[1] === day - 1) last[1] = day;
    else runs.push([day, day]);
  }
  return runs.map(([a, b]) => (a === b ? String(a) : b === a + 1 ? `${a},${b}` : `${a}-${b}`)).join(",");
}

/** What is no day stays what it is and is refused with the rest. */
const readDays = (text: string): number[] =>
  text.split(",").flatMap((part) => {
    const [a, b] = part.split("-").map((p) => Number(p.trim() || NaN));
    if (b === undefined || !(b >= a! && b <= 7)) return [a!];
    return Array.from({ length: b - a! + 1 }, (_, i) => a! + i);
  });
