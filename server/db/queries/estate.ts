import { asc, eq, max, sql } from "drizzle-orm";
import { LIST_KINDS, SINGLE_KINDS } from "#core/estate/difference.ts";
import type { Estate } from "#core/estate/model.ts";
import type { Database } from "../connect.ts";
import { estateChanges, estateItems, organisations } from "../schema.ts";

/** What was read of an estate last, and what named its state then. */
type Known = { state: string; estate: Estate | null };
const remembered = new WeakMap<Pick<Database, "select">, Map<string, Known>>();

/**
 * The estate as it is now; null where none has been described yet. Read anew only where it has
 * changed since it was read last: every page and every copied machine asks for it. Frozen, because
 * all who ask share it.
 */
export async function loadEstate(db: Database, organisationId: string): Promise<Estate | null> {
  const known = remembered.get(db) ?? new Map<string, Known>();
  remembered.set(db, known);
  // What names the state is read before the items: a change between the two is met at the next reading.
  const newest = db.select({ id: max(estateChanges.id) }).from(estateChanges).where(eq(estateChanges.organisationId, organisationId));
  const [found] = await db.select({ organisation: organisations, version: sql<number | null>`(${newest})` }).from(organisations).where(eq(organisations.id, organisationId));
  if (!found) return null;
  const state = JSON.stringify(found);
  const before = known.get(organisationId);
  if (before?.state === state) return before.estate;
  const estate = await readItems(db, found.organisation);
  known.set(organisationId, { state, estate });
  return estate;
}

async function readItems(db: Database, organisation: Estate["organisation"]): Promise<Estate | null> {
  const items = await db.select().from(estateItems).where(eq(estateItems.organisationId, organisation.id)).orderBy(asc(estateItems.place));
  if (items.length === 0) return null;
  const of = (kind: string): unknown[] => items.filter((item) => item.kind === kind).map((item) => item.body);
  const estate: Record<string, unknown> = { organisation };
  for (const kind of LIST_KINDS) estate[kind] = of(kind);
  for (const kind of SINGLE_KINDS) estate[kind] = of(kind)[0];
  return frozen(estate) as Estate;
}

function frozen<T>(value: T): T {
  if (typeof value === "object" && value !== null && !Object.isFrozen(value)) {
    Object.freeze(value);
    for (const part of Object.values(value)) frozen(part);
  }
  return value;
}
