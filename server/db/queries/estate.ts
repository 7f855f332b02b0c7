import { asc, eq } from "drizzle-orm";
import { LIST_KINDS, SINGLE_KINDS } from "#core/estate/difference.ts";
import type { Estate } from "#core/estate/model.ts";
import type { Database } from "../connect.ts";
import { estateItems, organisations } from "../schema.ts";

/** The estate as it is now; null where none has been described yet. */
export async function loadEstate(db: Database, organisationId: string): Promise<Estate | null> {
  const [organisation] = await db.select().from(organisations).where(eq(organisations.id, organisationId));
  const items = await db.select().from(estateItems).where(eq(estateItems.organisationId, organisationId)).orderBy(asc(estateItems.place));
  if (!organisation || items.length === 0) return null;
  const of = (kind: string): unknown[] => items.filter((item) => item.kind === kind).map((item) => item.body);
  const estate: Record<string, unknown> = { organisation };
  for (const kind of LIST_KINDS) estate[kind] = of(kind);
  for (const kind of SINGLE_KINDS) estate[kind] = of(kind)[0];
  return estate as Estate;
}
