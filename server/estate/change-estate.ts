import { and, eq } from "drizzle-orm";
import type { Estate } from "#core/estate/model.ts";
import type { Database } from "../db/connect.ts";
import { LIST_KINDS, loadEstate, SINGLE_KINDS } from "../db/queries/estate.ts";
import { audit, estateChanges, estateItems, organisations } from "../db/schema.ts";

export type ChangeBy = { personName: string; reason: string; modelAt: number };

type Item = { kind: string; id: string; body: unknown };

const itemsOf = (estate: Estate | null): Item[] =>
  estate === null
    ? []
    : [
        ...LIST_KINDS.flatMap((kind) => estate[kind].map((body) => ({ kind, id: body.id, body }))),
        ...SINGLE_KINDS.map((kind) => ({ kind, id: kind, body: estate[kind] })),
      ];

/**
 * The one way by which an estate changes: replaces it by another, and appends for every item that
 * differs who changed it, when by both clocks, why, and what it was before and after.
 */
export async function changeEstate(db: Database, estate: Estate, by: ChangeBy): Promise<{ changed: number }> {
  const organisationId = estate.organisation.id;
  return db.transaction(async (tx) => {
    await tx.insert(organisations).values(estate.organisation).onConflictDoUpdate({ target: organisations.id, set: { name: estate.organisation.name, timeZone: estate.organisation.timeZone } });
    const before = new Map(itemsOf(await loadEstate(tx as unknown as Database, organisationId)).map((item) => [`${item.kind}/${item.id}`, item]));
    let changed = 0;
    for (const [place, item] of itemsOf(estate).entries()) {
      const key = `${item.kind}/${item.id}`;
      const old = before.get(key);
      before.delete(key);
      await tx
        .insert(estateItems)
        .values({ organisationId, place, ...item })
        .onConflictDoUpdate({ target: [estateItems.organisationId, estateItems.kind, estateItems.id], set: { place, body: item.body } });
      if (old && JSON.stringify(sorted(old.body)) === JSON.stringify(sorted(item.body))) continue;
      changed++;
      await tx.insert(estateChanges).values({ organisationId, ...by, kind: item.kind, itemId: item.id, before: old?.body ?? null, after: item.body });
    }
    for (const gone of before.values()) {
      changed++;
      await tx.delete(estateItems).where(and(eq(estateItems.organisationId, organisationId), eq(estateItems.kind, gone.kind), eq(estateItems.id, gone.id)));
      await tx.insert(estateChanges).values({ organisationId, ...by, kind: gone.kind, itemId: gone.id, before: gone.body, after: null });
    }
    if (changed > 0) await tx.insert(audit).values({ organisationId, ...by, act: "estate changed", subject: `${changed} items` });
    return { changed };
  });
}

/** The database gives JSON keys in an order of its own. */
function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted);
  if (value === null || typeof value !== "object") return value;
  return Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)).map(([k, v]) => [k, sorted(v)]));
}
