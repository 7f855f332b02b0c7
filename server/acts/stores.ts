import { and, desc, eq } from "drizzle-orm";
import { EngineError } from "#engine/errors.ts";
import { isPublished } from "#engine/points/point.ts";
import type { PointId } from "#engine/points/publication.ts";
import { probeStore, type ProbeStep } from "#engine/stores/probe.ts";
import { Vault } from "#engine/vault.ts";
import { countWords } from "#core/wording/amounts.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { copies, storeAccess } from "../db/schema.ts";
import { CannotError, mustAct } from "../people/roles.ts";
import { openStore, saveStoreAccess, type StoreAccess } from "../stores/store-book.ts";
import { act, type ActContext } from "./act.ts";

/**
 * Says how a store is reached, after trying it. A store that has points already must have them at
 * the new address too: nothing is to be sent again, and nothing lost, because an address changed.
 */
export async function reachStore(context: ActContext, request: { store: string; access: StoreAccess; reason: string }): Promise<ProbeStep[]> {
  const { app, person } = context;
  mustAct(person);
  const { organisationId } = person;
  const store = (await loadEstate(app.connection.db, organisationId))?.stores.find((s) => s.id === request.store);
  if (!store) throw new CannotError("The estate has no such store any more");
  const opened = openStore(store.id, request.access);
  const steps = await probeStore(opened);
  const wrong = steps.find((s) => s.outcome === "wrong");
  if (wrong) throw new CannotError(`Nothing was changed. Trying to ${wrong.what === "room" ? "look at its room" : wrong.what}: ${wrong.words}`);
  const held = await app.connection.db.select({ point: copies.pointId }).from(copies).where(and(eq(copies.organisationId, organisationId), eq(copies.storeId, store.id), eq(copies.state, "whole"))).orderBy(desc(copies.arrivedAt));
  if (held[0] && !(await holds(opened, held[0].point)))
    throw new CannotError(`${countWords(held.length, "point lies", "points lie")} in ${store.name}, and what answers at this address does not hold the newest of them. Carry its contents over first; nothing was changed`);
  await act(context, { act: "store reached", subject: store.id, reason: request.reason }, (tx) => saveStoreAccess(tx, app.sealer, organisationId, store.id, request.access, steps));
  app.stores.forget();
  return steps;
}

async function holds(store: ReturnType<typeof openStore>, point: string): Promise<boolean> {
  try {
    return await isPublished(await Vault.open(store), point as PointId);
  } catch (error) {
    if (error instanceof EngineError) return false;
    throw error;
  }
}

/** Tries a store again as it is reached now. */
export async function tryStore(context: ActContext, id: string): Promise<ProbeStep[]> {
  const { app, person } = context;
  mustAct(person);
  const mine = and(eq(storeAccess.organisationId, person.organisationId), eq(storeAccess.storeId, id));
  const [row] = await app.connection.db.select().from(storeAccess).where(mine);
  if (!row) throw new CannotError("It is not known how this store is reached; say so first");
  const probe = await probeStore(openStore(id, app.sealer.open<StoreAccess>(row.sealed)));
  await act(context, { act: "store tried", subject: id, reason: "by hand" }, (tx) => tx.update(storeAccess).set({ probe, triedAt: new Date() }).where(mine));
  return probe;
}
