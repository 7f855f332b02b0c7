import type { WeekHours } from "./model.ts";

const DAY_MINUTES = 1440;
const WEEKDAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const formats = new Map<string, Intl.DateTimeFormat>();

/** Weekday (1 = Monday) and minute of the day of an instant in a time zone. */
export function localTime(instant: number, timeZone: string): { day: number; minute: number } {
  let format = formats.get(timeZone);
  if (!format) formats.set(timeZone, (format = new Intl.DateTimeFormat("en-GB", { timeZone, weekday: "short", hour: "2-digit", minute: "2-digit", hourCycle: "h23" })));
  const parts = Object.fromEntries(format.formatToParts(instant).map((p) => [p.type, p.value]));
  return { day: WEEKDAYS.indexOf(parts["weekday"]!) + 1, minute: Number(parts["hour"]) * 60 + Number(parts["minute"]) };
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
