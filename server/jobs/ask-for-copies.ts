import { and, eq, inArray, sql } from "drizzle-orm";
import { loadEstate } from "../db/queries/estate.ts";
import type { Database } from "../db/connect.ts";
import { schedules, works } from "../db/schema.ts";
import type { Runner } from "./coordinator.ts";

/** Asks for copies of all machines of a policy. A machine whose earlier copy still runs is left out: captures must not overlap. */
export async function askForCopies(
  db: Database,
  organisationId: string,
  policyId: string,
  by: { personName: string; reason: string; foreground: boolean; machines?: readonly string[]; unwatched?: true },
): Promise<{ asked: string[]; stillRunning: string[] }> {
  const estate = await loadEstate(db, organisationId);
  const policy = estate?.policies.find((p) => p.id === policyId);
  if (!estate || !policy) return { asked: [], stillRunning: [] };
  const open = await db
    .select({ subject: works.subject })
    .from(works)
    .where(and(eq(works.organisationId, organisationId), eq(works.kind, "copy"), inArray(works.state, ["waiting", "running", "stopping", "stopped"])));
  const busy = new Set(open.flatMap((w) => (w.subject.kind === "copy" ? [w.subject.machine] : [])));
  // What is gone from its platform cannot be read there any more; its points stay.
  const gone = new Set(estate.machines.filter((m) => m.gone).map((m) => m.id));
  const wanted = policy.machines.filter((m) => !gone.has(m) && (!by.machines || by.machines.includes(m)));
  const asked = wanted.filter((m) => !busy.has(m));
  if (asked.length > 0)
    await db.insert(works).values(
      asked.map((machine) => ({ organisationId, kind: "copy" as const, subject: { kind: "copy" as const, machine, policy: policyId, ...(by.unwatched ? { unwatched: by.unwatched } : {}) }, foreground: by.foreground, personName: by.personName, reason: by.reason })),
    );
  return { asked, stillRunning: wanted.filter((m) => busy.has(m)) };
}

/** Runs the engine through past model time: copies at the given instants, one after the other. */
export const replayHistory =
  (db: Database): Runner =>
  async (flow, work, { beginNew, progress }) => {
    if (work.subject.kind !== "history") throw new TypeError("not a history");
    const { policies, instants } = work.subject;
    for (const [i, at] of instants.entries()) {
      await flow.gate(`at/${at}`, { kind: "wake", at });
      progress({ note: `${i + 1} of ${instants.length}` });
      // The last instant only brings the clock to where the demo begins.
      if (i === instants.length - 1) break;
      const [done] = await db.select({ n: sql<number>`count(*)::int` }).from(works).where(and(eq(works.organisationId, work.organisationId), eq(works.kind, "copy"), eq(works.reason, reasonOf(at))));
      if (done!.n > 0) continue;
      // A policy is asked for where one of its own instants has passed since the last round.
      const passed = (every: number, instant: number): number => Math.floor(instant / (every * 1000));
      const due = policies.filter((p) => i === 0 || passed(p.every, at) > passed(p.every, instants[i - 1]!));
      for (const { id } of due) await askForCopies(db, work.organisationId, id, { personName: work.personName, reason: reasonOf(at), foreground: true, unwatched: true });
      await beginNew();
    }
  };

const reasonOf = (at: number): string => `history of ${new Date(at).toISOString()}`;

/** What a schedule makes due at an instant; gives the instant of the next, or null where it was stopped meanwhile. */
export const scheduledCopies =
  (db: Database) =>
  async (policyId: string, organisationId: string, instant: number): Promise<number | null> => {
    const [row] = await db.select().from(schedules).where(and(eq(schedules.organisationId, organisationId), eq(schedules.policyId, policyId)));
    if (!row?.running || row.nextAt === null || row.nextAt > instant) return row?.nextAt ?? null;
    const estate = await loadEstate(db, organisationId);
    const every = (estate?.policies.find((p) => p.id === policyId)?.every ?? 3600) * 1000;
    const nextAt = (Math.floor(instant / every) + 1) * every;
    await askForCopies(db, organisationId, policyId, { personName: "schedule", reason: `by the schedule of ${policyId}`, foreground: false });
    await db.update(schedules).set({ nextAt }).where(and(eq(schedules.organisationId, organisationId), eq(schedules.policyId, policyId)));
    return nextAt;
  };
