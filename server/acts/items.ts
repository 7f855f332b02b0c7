import { withoutItem, type WrittenKind, withWrittenItem } from "#formats/estate/written-item.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { changeEstate } from "../estate/change-estate.ts";
import { MOVED, standing, unlessMoved } from "../estate/standing.ts";
import { CannotError, mustAct } from "../people/roles.ts";
import type { ActContext } from "./act.ts";

export type ItemChange = { kind: WrittenKind; id: string | null; base: number; reason: string };

async function changed({ app, person }: ActContext, { base, reason }: ItemChange, make: (now: NonNullable<Awaited<ReturnType<typeof loadEstate>>>) => NonNullable<Awaited<ReturnType<typeof loadEstate>>>): Promise<void> {
  mustAct(person);
  const now = await loadEstate(app.connection.db, person.organisationId);
  if (!now) throw new CannotError("No estate is described yet. Bring in an estate file first");
  const next = make(now);
  await unlessMoved(MOVED, async () => changeEstate(app.connection.db, next, { personName: person.name, reason, modelAt: await app.world.now() }, base));
}

/** Puts one item as it is written in place of the one of its id, or beside the others where `id` is null; gives its id. */
export async function writeItem(context: ActContext, change: ItemChange, text: string): Promise<string> {
  let id = "";
  await changed(context, change, (now) => {
    const written = standing("It cannot be as written", () => withWrittenItem(now, change.kind, change.id, text));
    id = written.id;
    return written.estate;
  });
  return id;
}

/** Takes one item out of the estate; refused while others refer to it. */
export const removeItem = (context: ActContext, change: ItemChange & { id: string }): Promise<void> =>
  changed(context, change, (now) => {
    if (!now[change.kind].some((i) => i.id === change.id)) throw new CannotError(`${change.id} is not there any more`);
    return standing(`${change.id} cannot be taken out`, () => withoutItem(now, change.kind, change.id));
  });
