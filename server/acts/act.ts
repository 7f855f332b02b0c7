import { sql } from "drizzle-orm";
import type { Application } from "../application.ts";
import type { Database } from "../db/connect.ts";
import { audit } from "../db/schema.ts";
import { WORK_CHANNEL, CHANGE_CHANNEL } from "../jobs/coordinator.ts";
import { mustAct, type Person } from "../people/roles.ts";

export type ActContext = { app: Application; person: Person };

/**
 * Every consequential act goes through here: only coordinators may, it happens in one transaction
 * with its entry in the audit trail, and the leader and the pages are told once it is committed.
 */
export async function act<T>({ app, person }: ActContext, entry: { act: string; subject: string; reason: string }, change: (tx: Database, modelAt: number) => Promise<T>): Promise<T> {
  mustAct(person);
  const modelAt = await app.world.now();
  return app.connection.db.transaction(async (tx) => {
    const result = await change(tx as unknown as Database, modelAt);
    await tx.insert(audit).values({ organisationId: person.organisationId, modelAt, personName: person.name, ...entry });
    await tx.execute(sql`select pg_notify(${WORK_CHANNEL}, ''), pg_notify(${CHANGE_CHANNEL}, 'act')`);
    return result;
  });
}
