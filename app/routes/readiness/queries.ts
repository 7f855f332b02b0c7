import { byId } from "#core/estate/model.ts";
import { lossName } from "#core/outage/question.ts";
import { assessReadiness, chainOf, type ServiceReadiness } from "#core/readiness/readiness.ts";
import { countWords } from "#core/wording/amounts.ts";
import type { Application } from "#server/application.ts";
import { lastProofs, type LastProof } from "#server/db/queries/runs.ts";
import { outlook } from "#server/outlook.ts";

export type ReadinessRow = ServiceReadiness & { proof: (LastProof & { sameLoss: boolean; seconds: number; withOpening: number | null }) | null };

/** Everything the page shows, for the needle and the loss of the question. */
export async function readReadiness(app: Application, organisationId: string, asked: { at: string | null; lost: string[] }, chosen: string | null) {
  const view = await outlook(app, organisationId, asked);
  if (!view) return null;
  const { estate, facts, lost, at, now, sites } = view;
  const readiness = assessReadiness(estate, facts, lost, at, now);
  const services = byId(estate.services);
  const proofs = await lastProofs(app.connection.db, organisationId, (id) => services.get(id)?.machines ?? []);
  const rows = readiness.services.map((s): ReadinessRow => {
    const proof = proofs.get(s.service);
    if (!proof) return { ...s, proof: null };
    const sameLoss = sameThings(proof.lost, lost);
    return { ...s, proof: { ...proof, sameLoss, withOpening: sameLoss && s.recovery ? s.recovery.coordinatorReady + proof.seconds : null } };
  });
  const service = rows.find((r) => r.service === chosen) ?? null;
  const plan = service && estate.services.find((s) => s.id === service.service)!;
  return {
    rows,
    headline: readiness.headline,
    subline: subline(rows, sites.filter((s) => !lost.includes(s.site))),
    at,
    now,
    assumptions: estate.assumptions,
    lostNames: lost.map((id) => lossName(estate, id)),
    chosen: service && {
      ...service,
      chain: chainOf(estate, readiness.runbook, service.service),
      dependsOn: plan!.dependsOn.map((d) => ({ name: services.get(d.service)!.name, strength: d.strength })),
      machines: plan!.machines.map((id) => {
        const planned = readiness.runbook?.machines.get(id);
        return {
          id,
          name: estate.machines.find((m) => m.id === id)!.name,
          capturedAt: planned?.capturedAt ?? null,
          store: planned ? (estate.stores.find((s) => s.id === planned.stores[0])?.name ?? null) : null,
          host: planned ? (estate.hosts.find((h) => h.id === planned.host)?.name ?? null) : null,
        };
      }),
    },
  };
}

const sameThings = (a: readonly string[], b: readonly string[]): boolean => a.length === b.length && a.every((id) => b.includes(id));

/** What misses and how, and which other site would hurt next. */
function subline(rows: readonly ReadinessRow[], others: readonly { name: string; misses: number }[]): string {
  const count = (of: (r: ReadinessRow) => boolean): number => rows.filter(of).length;
  const parts = [
    [count((r) => r.verdict === "late" || r.verdict === "late-and-loses-too-much"), "late"],
    [count((r) => r.verdict === "loses-too-much" || r.verdict === "late-and-loses-too-much"), "with too much lost"],
    [count((r) => r.verdict === "tight"), "tight"],
    [count((r) => r.verdict === "cannot-return"), "that cannot return"],
    [count((r) => r.verdict === "stays-up"), "not touched"],
  ] as const;
  const words = parts.filter(([n]) => n > 0).map(([n, what]) => `${n} ${what}`);
  const next = others[0];
  const elsewhere = next ? ` Worst elsewhere: ${next.name}, ${next.misses === 0 ? "where all keep theirs" : `where ${countWords(next.misses, "service misses", "services miss")} a target`}.` : "";
  return `${words.length > 0 ? `${words.join(", ").replace(/^./, (c) => c.toUpperCase())}.` : "All are in time."}${elsewhere}`;
}
