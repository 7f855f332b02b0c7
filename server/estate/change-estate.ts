import { and, eq, inArray, sql } from "drizzle-orm";
import equal from "fast-deep-equal";
import { LIST_KINDS, SINGLE_KINDS } from "#core/estate/difference.ts";
import type { Estate } from "#core/estate/model.ts";
import type { Database } from "../db/connect.ts";
import { loadEstate } from "../db/queries/estate.ts";
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
    const items = itemsOf(estate).map((item, place) => ({ organisationId, place, ...item }));
    const log: (typeof estateChanges.$inferInsert)[] = [];
    for (const item of items) {
      const key = `${item.kind}/${item.id}`;
      const old = before.get(key);
      before.delete(key);
      if (!old || !equal(old.body, JSON.parse(JSON.stringify(item.body)))) log.push({ organisationId, ...by, kind: item.kind, itemId: item.id, before: old?.body ?? null, after: item.body });
    }
    for (const gone of before.values()) log.push({ organisationId, ...by, kind: gone.kind, itemId: gone.id, before: gone.body, after: null });
    for (const some of batches(items))
      await tx
        .insert(estateItems)
        .values(some)
        .onConflictDoUpdate({ target: [estateItems.organisationId, estateItems.kind, estateItems.id], set: { place: sql`excluded.place`, body: sql`excluded.body` } });
    for (const [kind, ids] of byKind(before.values()))
      for (const some of batches(ids.map((item) => item.id))) await tx.delete(estateItems).where(and(eq(estateItems.organisationId, organisationId), eq(estateItems.kind, kind), inArray(estateItems.id, some)));
    for (const some of batches(log)) await tx.insert(estateChanges).values(some);
    const changed = log.length;
    if (changed > 0) await tx.insert(audit).values({ organisationId, ...by, act: "estate changed", subject: `${changed} items` });
    return { changed };
  });
}

const BATCH = 1_000;

/** As many rows at once as a statement bears. */
const batches = <T>(all: readonly T[]): T[][] => Array.from({ length: Math.ceil(all.length / BATCH) }, (_, i) => all.slice(i * BATCH, (i + 1) * BATCH));

function byKind(items: Iterable<Item>): Map<string, Item[]> {
  const kinds = new Map<string, Item[]>();
  for (const item of items) kinds.set(item.kind, [...(kinds.get(item.kind) ?? []), item]);
  return kinds;
}
