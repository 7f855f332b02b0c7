import type { Link } from "#core/estate/model.ts";
import { writeClock } from "#formats/estate/quantities.ts";
import { linkRateWords } from "#core/wording/amounts.ts";

const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

/** `Mon–Fri 07:00–19:00 1 Gbit/s`: when a line carries less; empty where it never does. */
export const limitWords = (link: Link): string => link.limits.map((w) => `${dayWords(w.days)} ${writeClock(w.from)}–${writeClock(w.to)} ${linkRateWords(w.rate)}`).join(", ");

/** `2 Gbit/s there, 1 Gbit/s back, Mon–Fri 07:00–19:00 1 Gbit/s`: what a line carries, with its limits by the hour. */
export const linkWords = (link: Link): string =>
  [link.backRate === undefined ? linkRateWords(link.rate) : `${linkRateWords(link.rate)} there, ${linkRateWords(link.backRate)} back`, limitWords(link)].filter(Boolean).join(", ");

/** Days 1 = Monday … 7 = Sunday; days on end are said by their first and last. */
function dayWords(days: readonly number[]): string {
  if (days.length === 7) return "daily";
  const sorted = [...days].sort((a, b) => a - b);
  const onEnd = sorted.every((d, i) => i === 0 || d === sorted[i - 1]! + 1);
  return onEnd && sorted.length > 2 ? `${DAYS[sorted[0]! - 1]}–${DAYS[sorted.at(-1)! - 1]}` : sorted.map((d) => DAYS[d - 1]).join(", ");
}
