import { join } from "node:path";
import { eq } from "drizzle-orm";
import { projectedLags, scheduledCopies } from "#core/copies/legs.ts";
import { assessReadiness } from "#core/readiness/readiness.ts";
import type { Application } from "#server/application.ts";
import { copies, estateItems, points } from "#server/db/schema.ts";
import { outlook } from "#server/outlook.ts";
import { AT, withDemoEstate } from "./demo-database.ts";
import type { Figure } from "./figure.ts";

const ROUNDS = 60;

const median = (values: number[]): number => values.sort((a, b) => a - b)[Math.floor(values.length / 2)]!;

async function timed(act: () => Promise<unknown>): Promise<number> {
  const times: number[] = [];
  for (let i = 0; i < ROUNDS; i++) {
    const began = process.hrtime.bigint();
    await act();
    times.push(Number(process.hrtime.bigint() - began) / 1e6);
  }
  return median(times);
}

/** The demo's readiness with a week of hourly copies, against merely reading the same rows. */
export async function benchReadiness(folder: string, report: (figure: Figure) => void): Promise<void> {
  await withDemoEstate(join(folder, "readiness"), async (connection, estate) => {
    const { db } = connection;
    const organisationId = estate.organisation.id;
    const policy = estate.policies[0]!;
    const facts = scheduledCopies(estate, policy, projectedLags(estate, policy, AT), AT - 7 * 86_400_000, AT).filter((f) => f.arrivedAt <= AT);
    const distinct = new Map(facts.map((f) => [f.point, f]));
    const inParts = async <T>(rows: T[], put: (part: T[]) => Promise<unknown>): Promise<void> => {
      for (let i = 0; i < rows.length; i += 1_000) await put(rows.slice(i, i + 1_000));
    };
    await inParts([...distinct.values()].map((f) => ({ organisationId, id: f.point, machineId: f.machine, capturedAt: f.capturedAt, nominalBytes: f.dataBytes, dataBytes: f.dataBytes, changedBytes: 0 })), (part) => db.insert(points).values(part));
    await inParts(facts.map((f) => ({ organisationId, pointId: f.point, storeId: f.store, arrivedAt: Math.round(f.arrivedAt), sentBytes: 0, storedBytes: 0 })), (part) => db.insert(copies).values(part));
    const app = { connection, world: { now: async () => AT } } as unknown as Application;
    const whole = (): Promise<unknown> =>
      outlook(app, organisationId, { at: null, lost: [] }).then((view) => assessReadiness(view!.estate, view!.facts, view!.lost, view!.at));
    const bare = (): Promise<unknown> => Promise.all([db.select().from(estateItems).where(eq(estateItems.organisationId, organisationId)), db.select().from(points).where(eq(points.organisationId, organisationId)), db.select().from(copies).where(eq(copies.organisationId, organisationId))]);
    await whole();
    await bare();
    const reference = await timed(bare);
    const value = await timed(whole);
    report({ name: "readiness, a week hourly", unit: "ms", value, reference, ratio: value / reference, meaning: `four sites compared and one answered, over reading ${facts.length} copies' rows` });
  });
}
