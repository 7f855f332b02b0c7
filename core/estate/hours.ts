import type { WeekHours } from "./model.ts";

const DAY_MINUTES = 1440;
const WEEKDAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const WEEK_MINUTES = 7 * DAY_MINUTES;
const QUARTER_MS = 900_000;
/** More than half a year of quarter hours. */
const MOST_QUARTERS = 20_000;
type Zone = { format: Intl.DateTimeFormat; /** Minute of the week at which a quarter hour begins, by its number since the epoch. */ quarters: Map<number, number> };
const zones = new Map<string, Zone>();

/**
 * Weekday (1 = Monday) and minute of the day of an instant in a time zone. A zone's clock is slow to
 * ask and changes only on quarter hours, so it is asked once for each.
 */
export function localTime(instant: number, timeZone: string): { day: number; minute: number } {
  let zone = zones.get(timeZone);
  if (!zone) zones.set(timeZone, (zone = { format: new Intl.DateTimeFormat("en-GB", { timeZone, weekday: "short", hour: "2-digit", minute: "2-digit", hourCycle: "h23" }), quarters: new Map() }));
  const quarter = Math.floor(instant / QUARTER_MS);
  let begins = zone.quarters.get(quarter);
  if (begins === undefined) {
    const parts = Object.fromEntries(zone.format.formatToParts(quarter * QUARTER_MS).map((p) => [p.type, p.value]));
    begins = WEEKDAYS.indexOf(parts["weekday"]!) * DAY_MINUTES + Number(parts["hour"]) * 60 + Number(parts["minute"]);
    if (zone.quarters.size >= MOST_QUARTERS) zone.quarters.clear();
    zone.quarters.set(quarter, begins);
  }
  const minute = (begins + Math.floor((instant - quarter * QUARTER_MS) / 60_000)) % WEEK_MINUTES;
  return { day: Math.floor(minute / DAY_MINUTES) + 1, minute: minute % DAY_MINUTES };
}

/** Whether a weekday and minute lie in a window; one over midnight belongs to the day on which it begins. */
export function holdsAt({ days, from, to }: WeekHours, day: number, minute: number): boolean {
  const yesterday = day === 1 ? 7 : day - 1;
  if (from > to) return (days.includes(day) && minute >= from) || (days.includes(yesterday) && minute < to);
  return days.includes(day) && minute >= from && minute < to;
}

/** Whether a service is needed at an instant; without stated hours always. */
export function isNeededAt(hours: readonly WeekHours[], zone: string, at: number): boolean {
  if (hours.length === 0) return true;
  const { day, minute } = localTime(at, zone);
  return hours.some((h) => holdsAt(h, day, minute));
}

/**
 * Seconds of a stretch that fall into the hours in which a service is needed, to the minute.
 * Clocks change on quarter hours, so no step passes one.
 */
export function neededSeconds(hours: readonly WeekHours[], zone: string, from: number, seconds: number): number {
  if (hours.length === 0) return seconds;
  const until = from + seconds * 1000;
  const edges = hours.flatMap((h) => [h.from % DAY_MINUTES, h.to % DAY_MINUTES]);
  let sum = 0;
  for (let at = from; at < until; ) {
    const { day, minute } = localTime(at, zone);
    const toEdge = Math.min(...edges.map((edge) => ((edge - minute + DAY_MINUTES - 1) % DAY_MINUTES) + 1), 15 - (minute % 15));
    const next = Math.min(until, Math.floor(at / 60_000) * 60_000 + toEdge * 60_000);
    if (hours.some((h) => holdsAt(h, day, minute))) sum += (next - at) / 1000;
    at = next;
  }
  return sum;
}
