import { eq, sql } from "drizzle-orm";
import equal from "fast-deep-equal";
import { LIST_KINDS, SINGLE_KINDS } from "#core/estate/difference.ts";
import type { Estate } from "#core/estate/model.ts";
import type { Database } from "../db/connect.ts";
import { estateVersion } from "./last-change.ts";
import { audit, estateItems, organisations } from "../db/schema.ts";

export type ChangeBy = { personName: string; reason: string; modelAt: number };

/** The estate is not the one any more that a change was made for. */
export class EstateMovedError extends Error {
  override readonly name = "EstateMovedError";
}

type Row = { kind: string; id: string; place: number; body: unknown };

/** Every item of an estate as a row; places count within a kind, so that a new machine moves no service. */
const itemsOf = (estate: Estate): Row[] => [
  ...LIST_KINDS.flatMap((kind) => estate[kind].map((body, place) => ({ kind, id: body.id, place, body }))),
  ...SINGLE_KINDS.map((kind) => ({ kind, id: kind, place: 0, body: estate[kind] })),
];

/**
 * The one way by which an estate changes: replaces it by another, and appends for every item that
 * differs who changed it, when by both clocks, why, and what it was before and after. `since` is the
 * version the change was made for; throws `EstateMovedError` where another came in between.
 */
export async function changeEstate(db: Database, estate: Estate, by: ChangeBy, since?: number): Promise<{ changed: number }> {
  const organisationId = estate.organisation.id;
  return db.transaction(async (tx) => {
    // One change after the other, so that two people's never undo each other unseen.
    await tx.execute(sql`select pg_advisory_xact_lock(hashtextextended(${`estate/${organisationId}`}, 0))`);
    if (since !== undefined && (await estateVersion(tx, organisationId)) !== since) throw new EstateMovedError();
    await tx.insert(organisations).values(estate.organisation).onConflictDoUpdate({ target: organisations.id, set: { name: estate.organisation.name, timeZone: estate.organisation.timeZone } });
    const rows = await tx.select().from(estateItems).where(eq(estateItems.organisationId, organisationId));
    const before = new Map(rows.map((row) => [`${row.kind}/${row.id}`, row]));
    const put: Row[] = [];
    const log: { kind: string; itemId: string; before: unknown; after: unknown }[] = [];
    for (const item of itemsOf(estate)) {
      const key = `${item.kind}/${item.id}`;
      const old = before.get(key);
      before.delete(key);
      const same = old !== undefined && equal(old.body, JSON.parse(JSON.stringify(item.body)));
      if (!same) log.push({ kind: item.kind, itemId: item.id, before: old?.body ?? null, after: item.body });
      if (!same || old.place !== item.place) put.push(item);
    }
    for (const gone of before.values()) log.push({ kind: gone.kind, itemId: gone.id, before: gone.body, after: null });
    // As one document a statement: twenty thousand rows are written in a second or two.
    for (const some of batches(put))
      await tx.execute(sql`
        insert into estate_item (organisation_id, kind, id, place, body)
        select ${organisationId}, kind, id, place, body from jsonb_to_recordset(${JSON.stringify(some)}::jsonb) as i(kind text, id text, place bigint, body jsonb)
        on conflict (organisation_id, kind, id) do update set place = excluded.place, body = excluded.body`);
    for (const some of batches([...before.values()]))
      await tx.execute(sql`
        delete from estate_item using jsonb_to_recordset(${JSON.stringify(some.map(({ kind, id }) => ({ kind, id })))}::jsonb) as g(kind text, id text)
        where estate_item.organisation_id = ${organisationId} and estate_item.kind = g.kind and estate_item.id = g.id`);
    for (const some of batches(log))
      await tx.execute(sql`
        insert into estate_change (organisation_id, model_at, person_name, reason, kind, item_id, before, after)
        select ${organisationId}, ${by.modelAt}, ${by.personName}, ${by.reason}, kind, "itemId", before, after
        from jsonb_to_recordset(${JSON.stringify(some)}::jsonb) as c(kind text, "itemId" text, before jsonb, after jsonb)`);
    const changed = log.length;
    if (changed > 0) await tx.insert(audit).values({ organisationId, ...by, act: "estate changed", subject: `${changed} items` });
    return { changed };
  });
}

const BATCH = 5_000;

const batches = <T>(all: readonly T[]): T[][] => Array.from({ length: Math.ceil(all.length / BATCH) }, (_, i) => all.slice(i * BATCH, (i + 1) * BATCH));
