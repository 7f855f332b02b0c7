import { localTime } from "../estate/hours.ts";

/** A capture and what it found changed since the one before. */
export type Captured = { capturedAt: number; changedBytes: number };
/** By hour of the week, Monday 0 h first: bytes an hour found changed on average, and over how many hours that was seen. */
export type HourOfWeek = { rate: number | null; hours: number };

const HOUR_MS = 3_600_000;
/** Captures further apart say nothing about single hours. */
const LONGEST_MS = 4.5 * HOUR_MS;

/**
 * How much captures found changed in each of the 168 hours of a local week. What was found between
 * two captures is spread evenly over the time between them; the first capture tells nothing, and
 * neither do captures further apart than four hours.
 */
export function changeByHour(captures: readonly Captured[], timeZone: string): HourOfWeek[] {
  const bytes = Array<number>(168).fill(0);
  const hours = Array<number>(168).fill(0);
  const sorted = [...captures].sort((a, b) => a.capturedAt - b.capturedAt);
  for (let i = 1; i < sorted.length; i++) {
    const from = sorted[i - 1]!.capturedAt;
    const { capturedAt: to, changedBytes } = sorted[i]!;
    if (to <= from || to - from > LONGEST_MS) continue;
    for (let at = from; at < to; ) {
      const { day, minute } = localTime(at, timeZone);
      // Local hours begin on a full quarter of an hour everywhere.
      const left = (60 - (minute % 60)) * 60_000 - (at % 60_000);
      const until = Math.min(to, at + left);
      const slot = (day - 1) * 24 + Math.floor(minute / 60);
      bytes[slot]! += (changedBytes * (until - at)) / (to - from);
      hours[slot]! += (until - at) / HOUR_MS;
      at = until;
    }
  }
  return bytes.map((sum, i) => ({ rate: hours[i]! > 0 ? sum / hours[i]! : null, hours: hours[i]! }));
}
