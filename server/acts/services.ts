import { and, eq, isNotNull } from "drizzle-orm";
import type { Service } from "#core/estate/model.ts";
import { listWords } from "#core/wording/amounts.ts";
import { estateFromRaw } from "#formats/estate/read-estate.ts";
import type { RawEstate } from "#formats/estate/raw-estate.ts";
import { toRaw } from "#formats/estate/write-estate.ts";
import { type CheckMeans, type CheckTrial, tryCheck } from "../checks/try-check.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { checkAccounts, checkTrials, platformConnections, setupAddresses } from "../db/schema.ts";
import { changeEstate } from "../estate/change-estate.ts";
import { MOVED, standing, unlessMoved } from "../estate/standing.ts";
import { CannotError, mustAct } from "../people/roles.ts";
import { type ManagerAccess, ManagerError } from "../platforms/manager.ts";
import { openManager } from "../platforms/open-manager.ts";
import { act, type ActContext } from "./act.ts";

export type RawService = RawEstate["services"][number];

/** Puts a service as it is written in place of the one of its id, or beside the others where there is none. */
export async function writeService({ app, person }: ActContext, service: RawService, isNew: boolean, base: number, reason: string): Promise<void> {
  mustAct(person);
  const { db } = app.connection;
  const now = await loadEstate(db, person.organisationId);
  if (!now) throw new CannotError("A service belongs to an estate, and none is described yet. Bring in an estate file first");
  const there = now.services.some((s) => s.id === service.id);
  if (isNew && there) throw new CannotError(`There is a service ${service.id} already; take another id`);
  if (!isNew && !there) throw new CannotError(`There is no service ${service.id} any more`);
  const raw = toRaw(now);
  const services = there ? raw.services.map((s) => (s.id === service.id ? service : s)) : [...raw.services, service];
  const next = standing(`${service.name} cannot be like this`, () => estateFromRaw({ ...raw, services }).estate);
  await unlessMoved(MOVED, async () => changeEstate(db, next, { personName: person.name, reason, modelAt: await app.world.now() }, base));
}

/** Takes a service out of the estate, with what others needed of it; its machines stay. */
export async function removeService({ app, person }: ActContext, id: string, base: number, reason: string): Promise<void> {
  mustAct(person);
  const { db } = app.connection;
  const now = await loadEstate(db, person.organisationId);
  if (!now?.services.some((s) => s.id === id)) throw new CannotError(`There is no service ${id} any more`);
  const next = { ...now, services: now.services.filter((s) => s.id !== id).map((s) => ({ ...s, dependsOn: s.dependsOn.filter((d) => d.service !== id) })) };
  await unlessMoved(MOVED, async () => changeEstate(db, next, { personName: person.name, reason, modelAt: await app.world.now() }, base));
}

/** Tries all checks of a service now, side by side, and keeps how they went. */
export async function tryService(context: ActContext, id: string): Promise<CheckTrial[]> {
  const { app, person } = context;
  mustAct(person);
  const { db } = app.connection;
  const service = (await loadEstate(db, person.organisationId))?.services.find((s) => s.id === id);
  if (!service) throw new CannotError(`There is no service ${id} any more`);
  const means = await meansFor(context, service);
  const trials = await Promise.all(service.checks.map((check) => tryCheck(check, means)));
  const bad = trials.filter((t) => !t.good).map((t) => t.check.kind);
  await act(context, { act: "checks tried", subject: `${id}: ${bad.length === 0 ? "all good" : `${listWords(bad)} wrong`}`, reason: "by hand" }, async (tx, triedAt) => {
    await tx.insert(checkTrials).values({ organisationId: person.organisationId, serviceId: id, triedAt, trials }).onConflictDoUpdate({ target: [checkTrials.organisationId, checkTrials.serviceId], set: { triedAt, trials } });
  });
  return trials;
}

async function meansFor({ app, person }: ActContext, service: Service): Promise<CheckMeans> {
  const { db } = app.connection;
  const mine = person.organisationId;
  const [names] = await db.select().from(setupAddresses).where(and(eq(setupAddresses.organisationId, mine), eq(setupAddresses.what, "names")));
  const [account] = await db.select().from(checkAccounts).where(and(eq(checkAccounts.organisationId, mine), eq(checkAccounts.serviceId, service.id)));
  const platforms = await db.select().from(platformConnections).where(and(eq(platformConnections.organisationId, mine), isNotNull(platformConnections.inventory)));
  return {
    serviceName: service.serviceName,
    names: names?.address ?? null,
    account: account ? app.sealer.open<{ name: string; password: string }>(account.sealed) : null,
    inside: async (kind, machine, to) => {
      const platform = platforms.find((p) => p.inventory!.machines.some((m) => m.id === machine));
      if (!platform) return { good: false, words: `no connected platform lists ${machine}: connect the one it runs on, then try again` };
      try {
        return await openManager(app.sealer.open<ManagerAccess>(platform.sealed)).inside(kind, machine, to);
      } catch (error) {
        if (error instanceof ManagerError) return { good: false, words: `${platform.id}: ${error.message}` };
        throw error;
      }
    },
  };
}

/** Keeps the account by which a service's sign-in checks sign in; the password is sealed and never shown. */
export async function keepCheckAccount(context: ActContext, id: string, account: { name: string; password: string }): Promise<void> {
  const { app, person } = context;
  mustAct(person);
  const sealed = app.sealer.seal(account);
  await act(context, { act: "check account kept", subject: `${id} (${account.name})`, reason: "by hand" }, async (tx) => {
    await tx.insert(checkAccounts).values({ organisationId: person.organisationId, serviceId: id, sealed }).onConflictDoUpdate({ target: [checkAccounts.organisationId, checkAccounts.serviceId], set: { sealed } });
  });
}

