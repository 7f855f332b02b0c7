import type { Link } from "#core/estate/model.ts";
import { linkRateWords } from "#core/wording/amounts.ts";

const clock = (minutes: number): string => `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}`;

/** `2 Gbit/s, 07:00–19:00 1 Gbit/s`: what a line carries, with its limits by the hour. */
export const linkWords = (link: Link): string => [linkRateWords(link.rate), ...link.limits.map((w) => `${clock(w.from)}–${clock(w.to)} ${linkRateWords(w.rate)}`)].join(", ");
