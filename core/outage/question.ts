import type { Estate } from "../estate/model.ts";

/** How far the needle may be moved from now. */
export const REACH_BACK_SECONDS = 7 * 86_400;
export const REACH_AHEAD_SECONDS = 2 * 86_400;

/** The question every page answers: what if these were lost at this instant? */
export type Question = {
  at: number;
  /** Whether the strike follows the clock. */
  isNow: boolean;
  lost: string[];
  /** What was asked for and could not be taken as it stood, a sentence each. */
  notes: string[];
};

const INSTANT = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(:\d{2}(\.\d{1,3})?)?(Z|[+-]\d{2}:\d{2})$/;

/** An ISO 8601 instant with its offset as epoch milliseconds; undefined where it is none. */
export function parseInstant(text: string): number | undefined {
  const at = INSTANT.test(text) ? Date.parse(text) : NaN;
  return Number.isNaN(at) ? undefined : at;
}

/** The instant asked for, held within what is known; nothing asked for is now. */
export function askedInstant(text: string | null, now: number): Pick<Question, "at" | "isNow" | "notes"> {
  if (text === null || text === "") return { at: now, isNow: true, notes: [] };
  const at = parseInstant(text);
  if (at === undefined) return { at: now, isNow: true, notes: [`“${text.slice(0, 40)}” is no instant; write one such as 2026-11-24T10:00Z. The strike stands at now.`] };
  const first = now - REACH_BACK_SECONDS * 1000;
  const last = now + REACH_AHEAD_SECONDS * 1000;
  if (at < first) return { at: first, isNow: false, notes: ["The needle reaches back one week; it stands at the earliest instant it can."] };
  if (at > last) return { at: last, isNow: false, notes: ["The needle reaches two days ahead; it stands at the latest instant it can."] };
  return { at, isNow: false, notes: [] };
}

/** Those of the asked-for ids that can be lost; unknown ones are told of. */
export function askedLosses(estate: Estate, ids: readonly string[]): Pick<Question, "lost" | "notes"> {
  const known = new Set([...estate.sites, ...estate.hazards, ...estate.hosts, ...estate.stores, ...estate.links].map((x) => x.id));
  const lost = [...new Set(ids)].filter((id) => known.has(id));
  const unknown = ids.filter((id) => !known.has(id));
  return { lost, notes: unknown.map((id) => `The estate has no site, hazard, host, store or link “${id.slice(0, 40)}”; it is left out.`) };
}

/** The name of anything that can be lost. */
export function lossName(estate: Estate, id: string): string {
  const named = [...estate.sites, ...estate.hazards, ...estate.hosts, ...estate.stores].find((x) => x.id === id);
  if (named) return named.name;
  const link = estate.links.find((l) => l.id === id);
  const sites = link?.between.map((site) => estate.sites.find((s) => s.id === site)?.name ?? site);
  return sites ? `the line ${sites.join(" – ")}` : id;
}
