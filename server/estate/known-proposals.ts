import { eq } from "drizzle-orm";
import { type Comparison, Observing, type Proposal } from "#core/estate/observed.ts";
import type { Estate } from "#core/estate/model.ts";
import type { Database } from "../db/connect.ts";
import { allFlows, flowsStamp } from "../db/queries/flows.ts";
import { dismissedProposals } from "../db/schema.ts";
import { estateVersion } from "./last-change.ts";

/** Connections that were last seen longer ago say nothing of today (our own choice). */
export const LOOKED_BACK_DAYS = 90;

const known = new WeakMap<Database, Map<string, Comparison>>();
const KEPT = 8;

/** What was proposed, in one text: dismissed only as long as it stays the same. Evidence may grow. */
export const proposalText = (p: Proposal): string => JSON.stringify(p.kind === "missing" ? [p.kind, p.strength] : p.kind === "homeless" ? [p.kind, [...p.usedBy].sort()] : [p.kind]);

export type Dismissed = Proposal & { reason: string; personName: string; modelAt: number };

/** Proposals that wait for an answer, and those that were dismissed. The comparison is kept until estate or connections change. */
export async function knownProposals(db: Database, estate: Estate, now: number): Promise<Omit<Comparison, "proposals"> & { open: Proposal[]; dismissed: Dismissed[] }> {
  const organisationId = estate.organisation.id;
  const day = Math.floor(now / 86_400_000);
  const key = `${organisationId}/${await estateVersion(db, organisationId)}/${await flowsStamp(db, organisationId)}/${day}`;
  const kept = known.get(db) ?? new Map<string, Comparison>();
  known.set(db, kept);
  let comparison = kept.get(key);
  if (!comparison) {
    const observing = new Observing(estate, (day - LOOKED_BACK_DAYS) * 86_400_000);
    for await (const some of allFlows(db, organisationId)) observing.take(some);
    comparison = observing.comparison();
    if (kept.size >= KEPT) kept.clear();
    kept.set(key, comparison);
  }
  const { proposals, ...rest } = comparison;
  const rows = new Map((await db.select().from(dismissedProposals).where(eq(dismissedProposals.organisationId, organisationId))).map((r) => [r.key, r]));
  const isDismissed = (p: Proposal): boolean => rows.get(p.key)?.seen === proposalText(p);
  return { ...rest, open: proposals.filter((p) => !isDismissed(p)), dismissed: proposals.filter(isDismissed).map((p) => ({ ...p, ...rows.get(p.key)! })) };
}
