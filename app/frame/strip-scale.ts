import { inZone } from "./zoned.ts";

const HOUR = 3_600_000;
const DAY = 24 * HOUR;

export type Span = "day" | "week";
export const SPANS: Record<Span, { back: number; ahead: number; words: string }> = {
  day: { back: 15 * HOUR, ahead: 11 * HOUR, words: "the day around now" },
  week: { back: 7 * DAY, ahead: 2 * DAY, words: "the past week and the coming two days" },
};

export type StripScale = { from: number; to: number; percent: (instant: number) => number; instant: (share: number) => number };

export function stripScale(span: Span, now: number): StripScale {
  const from = now - SPANS[span].back;
  const to = now + SPANS[span].ahead;
  return { from, to, percent: (instant) => ((instant - from) / (to - from)) * 100, instant: (share) => from + share * (to - from) };
}

/** Local midnights, and every third hour where there is room. */
export function stripTicks(scale: StripScale, zone: string): { at: number; text: string; strong: boolean }[] {
  const hours = scale.to - scale.from <= 2 * DAY ? [0, 3, 6, 9, 12, 15, 18, 21] : [0];
  const ticks: { at: number; text: string; strong: boolean }[] = [];
  for (let day = inZone(scale.from, zone).startOf("day"); day.toMillis() < scale.to; day = day.plus({ days: 1 }))
    for (const hour of hours) {
      const tick = day.set({ hour });
      const percent = scale.percent(tick.toMillis());
      // A clock hour that a change of clocks leaves out has no mark.
      if (percent < 2 || percent > 98 || tick.hour !== hour) continue;
      ticks.push({ at: tick.toMillis(), text: hour === 0 ? tick.toFormat("ccc d") : tick.toFormat("HH:mm"), strong: hour === 0 });
    }
  return ticks;
}
