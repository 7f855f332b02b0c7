import { holdsAt, localTime } from "./hours.ts";
import type { Link, SiteId } from "./model.ts";

const MINUTE_MS = 60_000;
/** What a link carries from one of its sites when nothing limits it. */
export const linkRateFrom = (link: Link, from: SiteId): number => (from === link.between[1] ? (link.backRate ?? link.rate) : link.rate);

/** Bytes per second of the direction from a site (the first, if none is named) at an instant; the lowest of the limits that hold. */
export function linkRateAt(link: Link, instant: number, timeZone: string, site: SiteId = link.between[0]): number {
  const full = linkRateFrom(link, site);
  if (link.limits.length === 0) return full;
  const { day, minute } = localTime(instant, timeZone);
  return link.limits.reduce((rate, limit) => (holdsAt(limit, day, minute) ? Math.min(rate, limit.rate) : rate), full);
}

type RateSteps = readonly { fromSeconds: number; rate: number }[];
const known = new WeakMap<Link, Map<string, RateSteps>>();
const KEPT = 8;

/**
 * Rate steps from an instant on, in seconds after it, up to a horizon; windows are whole minutes.
 * Local time is slow to find, and one question asks for the same steps many times: the last few are kept.
 */
export function linkRateSteps(link: Link, from: number, timeZone: string, horizonSeconds: number, site: SiteId = link.between[0]): RateSteps {
  const key = `${from}/${horizonSeconds}/${timeZone}/${site}`;
  const kept = known.get(link) ?? new Map<string, RateSteps>();
  known.set(link, kept);
  let steps = kept.get(key);
  if (!steps) {
    if (kept.size >= KEPT) kept.clear();
    kept.set(key, (steps = findRateSteps(link, from, timeZone, horizonSeconds, site)));
  }
  return steps;
}

function findRateSteps(link: Link, from: number, timeZone: string, horizonSeconds: number, site: SiteId): RateSteps {
  const steps = [{ fromSeconds: 0, rate: linkRateAt(link, from, timeZone, site) }];
  if (link.limits.length === 0) return steps;
  const edges = [...new Set(link.limits.flatMap((limit) => [limit.from, limit.to]))];
  for (let at = Math.ceil((from + 1) / MINUTE_MS) * MINUTE_MS; at <= from + horizonSeconds * 1000; ) {
    const { minute } = localTime(at, timeZone);
    const rate = linkRateAt(link, at, timeZone, site);
    if (rate !== steps.at(-1)!.rate) steps.push({ fromSeconds: (at - from) / 1000, rate });
    // To the next edge, but never past a full quarter hour: clocks change there.
    const toEdge = Math.min(...edges.map((edge) => (edge - minute + 1439) % 1440 + 1));
    at += Math.min(toEdge, 15 - (minute % 15)) * MINUTE_MS;
  }
  return steps;
}
