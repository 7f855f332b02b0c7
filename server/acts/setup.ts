import { and, eq } from "drizzle-orm";
import { trySetup, type SetupKind, type SetupTrial } from "../checks/setup.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { setupAddresses } from "../db/schema.ts";
import { CannotError, mustAct } from "../people/roles.ts";
import { act, type ActContext } from "./act.ts";

/** States where the coordinator finds names, the time or a mail server, tries it, and keeps how that went. */
export async function keepSetup(context: ActContext, what: SetupKind, address: string): Promise<SetupTrial> {
  mustAct(context.person);
  const trial = await trySetup(what, address, await serviceNames(context));
  const { organisationId } = context.person;
  const values = { address, triedAt: new Date(), ...trial };
  await act(context, { act: "set-up stated", subject: `${what}: ${address}`, reason: "by hand" }, (tx) => tx.insert(setupAddresses).values({ organisationId, what, ...values }).onConflictDoUpdate({ target: [setupAddresses.organisationId, setupAddresses.what], set: values }));
  return trial;
}

/** Tries again everything that is stated. */
export async function tryAllSetup(context: ActContext): Promise<SetupTrial[]> {
  mustAct(context.person);
  const { organisationId } = context.person;
  const stated = await context.app.connection.db.select().from(setupAddresses).where(eq(setupAddresses.organisationId, organisationId));
  if (stated.length === 0) throw new CannotError("Nothing is stated yet that could be tried");
  const names = await serviceNames(context);
  const trials = await Promise.all(stated.map(async ({ what, address }) => ({ what, ...(await trySetup(what, address, names)) })));
  await act(context, { act: "set-up tried", subject: trials.map((t) => `${t.what} ${t.good ? "good" : "wrong"}`).join(", "), reason: "by hand" }, async (tx) => {
    for (const { what, ...trial } of trials) await tx.update(setupAddresses).set({ triedAt: new Date(), ...trial }).where(and(eq(setupAddresses.organisationId, organisationId), eq(setupAddresses.what, what)));
  });
  return trials;
}

async function serviceNames({ app, person }: ActContext): Promise<string[]> {
  const estate = await loadEstate(app.connection.db, person.organisationId);
  return [...new Set((estate?.services ?? []).map((s) => s.serviceName))];
}
