import { realpath, stat } from "node:fs/promises";
import { isAbsolute, resolve, sep } from "node:path";
import { and, eq, inArray, ne } from "drizzle-orm";
import { listWords } from "#core/wording/amounts.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { copies, protectedPaths, schedules, storeAccess, works } from "../db/schema.ts";
import { askForCopies } from "../jobs/ask-for-copies.ts";
import { CannotError } from "../people/roles.ts";
import type { StoreAccess } from "../stores/store-book.ts";
import { act, type ActContext } from "./act.ts";

/** Copies all machines of a policy, or some of them, now. */
export function copyNow(context: ActContext, request: { policy: string; machines?: string[]; reason: string }): Promise<{ asked: string[]; stillRunning: string[] }> {
  const subject = request.machines ? listWords(request.machines) : request.policy;
  return act(context, { act: "copy now", subject, reason: request.reason }, async (tx) => {
    const result = await askForCopies(tx, context.person.organisationId, request.policy, { personName: context.person.name, foreground: true, ...request });
    if (result.asked.length === 0 && result.stillRunning.length === 0) throw new CannotError("There is no such policy, or none of these machines is in it");
    return result;
  });
}

export function stopWork(context: ActContext, id: string): Promise<void> {
  return act(context, { act: "stop", subject: id, reason: "by hand" }, async (tx) => {
    const mine = and(eq(works.id, id), eq(works.organisationId, context.person.organisationId));
    const stopped = await tx.update(works).set({ state: "stopping" }).where(and(mine, inArray(works.state, ["waiting", "running"]))).returning();
    if (stopped.length === 0) throw new CannotError("This has ended already");
  });
}

/** Takes stopped or failed work up again behind what has arrived. */
export function goOn(context: ActContext, id: string): Promise<void> {
  return act(context, { act: "go on", subject: id, reason: "by hand" }, async (tx) => {
    const mine = and(eq(works.id, id), eq(works.organisationId, context.person.organisationId));
    const resumed = await tx.update(works).set({ state: "waiting", failure: null }).where(and(mine, inArray(works.state, ["stopped", "failed"]))).returning();
    if (resumed.length === 0) throw new CannotError("This is neither stopped nor failed");
  });
}

/** Gives up stopped or failed work; what has arrived stays and is used by the next copy. */
export function dropWork(context: ActContext, id: string): Promise<void> {
  return act(context, { act: "drop", subject: id, reason: "by hand" }, async (tx) => {
    const mine = and(eq(works.id, id), eq(works.organisationId, context.person.organisationId), ne(works.kind, "run"));
    const dropped = await tx.update(works).set({ state: "dropped" }).where(and(mine, inArray(works.state, ["stopped", "failed"]))).returning();
    if (dropped.length === 0) throw new CannotError("This is neither stopped nor failed");
  });
}

export function setSchedule(context: ActContext, request: { policy: string; running: boolean }): Promise<void> {
  return act(context, { act: request.running ? "schedule started" : "schedule stopped", subject: request.policy, reason: "by hand" }, async (tx, modelAt) => {
    const { organisationId } = context.person;
    const policy = (await loadEstate(tx, organisationId))?.policies.find((p) => p.id === request.policy);
    if (!policy) throw new CannotError("There is no such policy");
    const nextAt = request.running ? (Math.floor(modelAt / (policy.every * 1000)) + 1) * policy.every * 1000 : null;
    await tx
      .insert(schedules)
      .values({ organisationId, policyId: policy.id, running: request.running, nextAt })
      .onConflictDoUpdate({ target: [schedules.organisationId, schedules.policyId], set: { running: request.running, nextAt } });
  });
}

/** Protects a real folder or disk image into the given stores, the first one read first. */
export async function protectNow(context: ActContext, request: { name: string; path: string; storeIds: string[]; reason: string }): Promise<void> {
  const path = await existing(request.path);
  await act(context, { act: "protect", subject: `${request.name} (${path})`, reason: request.reason }, async (tx, modelAt) => {
    const { organisationId } = context.person;
    await refuseOwnDestination(context, path, request.storeIds);
    const [other] = await tx.select().from(protectedPaths).where(and(eq(protectedPaths.organisationId, organisationId), eq(protectedPaths.name, request.name)));
    if (other && other.path !== path) throw new CannotError(`${request.name} is the name of ${other.path} already; choose another name for ${path}`);
    await tx.insert(protectedPaths).values({ organisationId, name: request.name, path, storeIds: request.storeIds }).onConflictDoUpdate({ target: [protectedPaths.organisationId, protectedPaths.name], set: { storeIds: request.storeIds } });
    const subject = { kind: "protect" as const, name: request.name, path, capturedAt: modelAt, storeIds: request.storeIds };
    await tx.insert(works).values({ organisationId, kind: "protect", subject, foreground: false, personName: context.person.name, reason: request.reason });
  });
}

export async function bringBackNow(context: ActContext, request: { name: string; point: string; to: string; reason: string }): Promise<void> {
  if (!isAbsolute(request.to)) throw new CannotError(`${request.to} is not an absolute path; write one such as /srv/back`);
  await act(context, { act: "bring back", subject: `${request.name} to ${request.to}`, reason: request.reason }, async (tx) => {
    const { organisationId } = context.person;
    const rows = await tx.select({ store: copies.storeId }).from(copies).where(and(eq(copies.organisationId, organisationId), eq(copies.pointId, request.point)));
    if (rows.length === 0) throw new CannotError("No store has this point any more");
    const [path] = await tx.select().from(protectedPaths).where(and(eq(protectedPaths.organisationId, organisationId), eq(protectedPaths.name, request.name)));
    // The store that was filled first is the nearest; the others stand by.
    const nearest = (store: string): number => path?.storeIds.indexOf(store) ?? 0;
    const storeIds = rows.map((r) => r.store).sort((a, b) => nearest(a) - nearest(b));
    const subject = { kind: "bring-back" as const, name: request.name, point: request.point, storeIds, to: resolve(request.to) };
    await tx.insert(works).values({ organisationId, kind: "bring-back", subject, foreground: false, personName: context.person.name, reason: request.reason });
  });
}

async function existing(path: string): Promise<string> {
  if (!isAbsolute(path)) throw new CannotError(`${path} is not an absolute path; write one such as /srv/charts`);
  const stats = await stat(path).catch(() => undefined);
  if (!stats) throw new CannotError(`There is nothing at ${path} that the server can read`);
  if (!stats.isDirectory() && !stats.isFile()) throw new CannotError(`${path} is neither a folder nor a file`);
  return realpath(path);
}

/** A copy whose source holds its own destination never ends. */
async function refuseOwnDestination({ app, person }: ActContext, path: string, storeIds: readonly string[]): Promise<void> {
  const rows = await app.connection.db.select().from(storeAccess).where(and(eq(storeAccess.organisationId, person.organisationId), inArray(storeAccess.storeId, [...storeIds])));
  if (rows.length !== storeIds.length) throw new CannotError("One of these stores is not known");
  for (const row of rows) {
    const access = app.sealer.open<StoreAccess>(row.sealed);
    const store = access.kind === "folder" ? await realpath(access.path) : undefined;
    if (store && (store === path || store.startsWith(path + sep) || path.startsWith(store + sep)))
      throw new CannotError(`${path} and the store ${row.storeId} (${store}) lie inside one another: the copy would hold itself and never end`);
  }
}
