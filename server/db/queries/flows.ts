import { and, desc, eq, type SQL, sql } from "drizzle-orm";
import type { ObservedFlow } from "#core/estate/flow.ts";
import type { Database } from "../connect.ts";
import { observedFlows } from "../schema.ts";

const BATCH = 5_000;
const READ_AT_ONCE = 10_000;

/** Takes in what a table says was seen: counts are added to those known, the latest instant is kept. */
export async function addFlows(db: Database, organisationId: string, flows: readonly ObservedFlow[]): Promise<void> {
  for (const some of batches(flows))
    await db
      .insert(observedFlows)
      .values(some.map((flow) => ({ organisationId, ...flow })))
      .onConflictDoUpdate({
        target: [observedFlows.organisationId, observedFlows.source, observedFlows.from, observedFlows.to, observedFlows.protocol, observedFlows.port],
        set: { connections: sql`observed_flow.connections + excluded.connections`, lastSeen: sql`greatest(observed_flow.last_seen, excluded.last_seen)` },
      });
}

/** What a platform reports takes the place of what it reported before: it counts for itself. */
export async function replaceFlows(db: Database, organisationId: string, source: string, flows: readonly ObservedFlow[]): Promise<void> {
  await db.transaction(async (tx) => {
    await tx.delete(observedFlows).where(and(eq(observedFlows.organisationId, organisationId), eq(observedFlows.source, source)));
    for (const some of batches(flows)) await tx.insert(observedFlows).values(some.map((flow) => ({ organisationId, source, ...flow })));
  });
}

function* batches<T>(all: readonly T[]): Iterable<T[]> {
  for (let i = 0; i < all.length; i += BATCH) yield all.slice(i, i + BATCH);
}

const MINE = { from: observedFlows.from, to: observedFlows.to, protocol: observedFlows.protocol, port: observedFlows.port, connections: observedFlows.connections, lastSeen: observedFlows.lastSeen };

/** The busiest first, at most so many, and how many there are. */
export async function readFlows(db: Database, organisationId: string, most: number): Promise<{ flows: ObservedFlow[]; total: number }> {
  const mine = eq(observedFlows.organisationId, organisationId);
  const [count] = await db.select({ n: sql<number>`count(*)::int` }).from(observedFlows).where(mine);
  const flows = await db.select(MINE).from(observedFlows).where(mine).orderBy(desc(observedFlows.connections)).limit(most);
  return { flows, total: count!.n };
}

/** All of them, some at a time: there may be a million. */
export async function* allFlows(db: Database, organisationId: string): AsyncIterable<ObservedFlow[]> {
  const key = sql`(${observedFlows.source}, ${observedFlows.from}, ${observedFlows.to}, ${observedFlows.protocol}, ${observedFlows.port})`;
  let after: { source: string; flow: ObservedFlow } | null = null;
  for (;;) {
    const past: SQL | undefined = after ? sql`${key} > (${after.source}, ${after.flow.from}, ${after.flow.to}, ${after.flow.protocol}, ${after.flow.port}::bigint)` : undefined;
    const rows = await db
      .select({ source: observedFlows.source, flow: MINE })
      .from(observedFlows)
      .where(and(eq(observedFlows.organisationId, organisationId), past))
      .orderBy(observedFlows.source, observedFlows.from, observedFlows.to, observedFlows.protocol, observedFlows.port)
      .limit(READ_AT_ONCE);
    if (rows.length === 0) return;
    yield rows.map((r) => r.flow);
    after = rows.at(-1)!;
  }
}

/** A text that changes whenever they do. */
export async function flowsStamp(db: Database, organisationId: string): Promise<string> {
  const [stamp] = await db.select({ text: sql<string>`count(*) || '/' || coalesce(sum(connections), 0) || '/' || coalesce(max(last_seen), 0)` }).from(observedFlows).where(eq(observedFlows.organisationId, organisationId));
  return stamp!.text;
}
