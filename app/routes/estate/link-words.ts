import type { Link } from "#core/estate/model.ts";
import { writeClock } from "#formats/estate/quantities.ts";
import { linkRateWords } from "#core/wording/amounts.ts";

/** `2 Gbit/s, 07:00–19:00 1 Gbit/s`: what a line carries, with its limits by the hour. */
export const linkWords = (link: Link): string => [linkRateWords(link.rate), ...link.limits.map((w) => `${writeClock(w.from)}–${writeClock(w.to)} ${linkRateWords(w.rate)}`)].join(", ");
