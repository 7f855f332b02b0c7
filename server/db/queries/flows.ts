import { desc, eq, sql } from "drizzle-orm";
import type { ObservedFlow } from "#core/estate/flow.ts";
import type { Database } from "../connect.ts";
import { observedFlows } from "../schema.ts";

const BATCH = 5_000;

/** Takes in what was seen: counts are added to those known, the latest instant is kept. */
export async function addFlows(db: Database, organisationId: string, flows: readonly ObservedFlow[]): Promise<void> {
  for (let i = 0; i < flows.length; i += BATCH)
    await db
      .insert(observedFlows)
      .values(flows.slice(i, i + BATCH).map((flow) => ({ organisationId, ...flow })))
      .onConflictDoUpdate({
        target: [observedFlows.organisationId, observedFlows.from, observedFlows.to, observedFlows.protocol, observedFlows.port],
        set: { connections: sql`observed_flow.connections + excluded.connections`, lastSeen: sql`greatest(observed_flow.last_seen, excluded.last_seen)` },
      });
}

/** The busiest first, at most so many, and how many there are. */
export async function readFlows(db: Database, organisationId: string, most: number): Promise<{ flows: ObservedFlow[]; total: number }> {
  const mine = eq(observedFlows.organisationId, organisationId);
  const [count] = await db.select({ n: sql<number>`count(*)::int` }).from(observedFlows).where(mine);
  const flows = await db.select().from(observedFlows).where(mine).orderBy(desc(observedFlows.connections)).limit(most);
  return { flows, total: count!.n };
}
