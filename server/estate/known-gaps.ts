import { type Gap, gapsOf } from "#core/estate/gaps.ts";
import type { Estate } from "#core/estate/model.ts";
import type { Database } from "../db/connect.ts";

const HOUR_MS = 3_600_000;
const KEPT = 20;
type Known = Map<string, Gap[]>;
const known = new WeakMap<Database, Known>();

/**
 * What is wanting in a version of an estate as of the hour of an instant (lines have their limits by
 * the hour). The last answers are kept: pages ask again and again, and large policies take seconds.
 * `changedSince`: how many things have changed since the instant, where the estate is taken as it was.
 */
export function knownGaps(db: Database, estate: Estate, version: number, at: number, used: ReadonlyMap<string, number>, changedSince = 0): Gap[] {
  const hour = Math.floor(at / HOUR_MS) * HOUR_MS;
  const full = [...used].map(([store, bytes]) => `${store}:${Math.round(bytes / 2 ** 30)}`).join();
  // An earlier estate of the same version is another one at every instant.
  const key = `${estate.organisation.id}/${version}/${changedSince > 0 ? at : hour}/${changedSince}/${full}`;
  const answers: Known = known.get(db) ?? new Map<string, Gap[]>();
  known.set(db, answers);
  let gaps = answers.get(key);
  if (!gaps) {
    if (answers.size >= KEPT) answers.clear();
    answers.set(key, (gaps = gapsOf(estate, hour, used)));
  }
  return gaps;
}
