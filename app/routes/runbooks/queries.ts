import { byId, type Estate } from "#core/estate/model.ts";
import { resourceWords } from "#core/estate/resources.ts";
import { lossName } from "#core/outage/question.ts";
import { assessReadiness, chainOf, type ServiceReadiness } from "#core/readiness/readiness.ts";
import type { RunbookStep, TimedRunbook } from "#core/runbook/runbook.ts";
import { unitUsage } from "#core/timeline/unit-usage.ts";
import { listWords, rateWords } from "#core/wording/amounts.ts";
import type { Application } from "#server/application.ts";
import { outlook } from "#server/outlook.ts";
import type { SharedStrip, TimelineBar } from "../../charts/timeline.tsx";
import { STEP_WORDS } from "../../runs/step-words.ts";

export type RunbookRowView = { id: string; name: string; tier: number; rto: number; bars: TimelineBar[]; verdict: ServiceReadiness["verdict"]; sentence: string; serviceable: number };

/** The failover runbook for the needle and the loss, as the page draws it. */
export async function readRunbook(app: Application, organisationId: string, asked: { at: string | null; lost: string[] }, chosen: string | null) {
  const view = await outlook(app, organisationId, asked);
  if (!view) return null;
  const { estate, facts, lost, at, now } = view;
  const readiness = assessReadiness(estate, facts, lost, at, now);
  const { runbook } = readiness;
  const names = listWords(lost.map((id) => lossName(estate, id)));
  const base = { at, now, lostNames: names, noRunbook: readiness.noRunbook, stays: readiness.services.filter((s) => s.verdict === "stays-up").map((s) => ({ name: s.name, sentence: s.sentence })) };
  if (!runbook) return { ...base, rows: [], opening: [], strips: [], machines: [], cannot: [], notes: [], end: 0, chosen: null, title: `${names} lost: no runbook`, steps: [] };
  const returning = readiness.services.filter((s) => s.recovery !== null);
  const picked = returning.find((s) => s.service === chosen) ?? [...returning].sort((a, b) => a.tier - b.tier || b.recovery!.serviceable - b.rto - (a.recovery!.serviceable - a.rto))[0] ?? null;
  const links = picked ? chainOf(estate, runbook, picked.service) : [];
  const chain = new Set(links.map((l) => l.step));
  const stepsOf = new Map<string | null, RunbookStep[]>();
  for (const s of runbook.steps) stepsOf.set(s.service, [...(stepsOf.get(s.service) ?? []), s]);
  const bars = (service: string | null): TimelineBar[] =>
    (stepsOf.get(service) ?? []).map((s) => {
        const t = runbook.timeline.steps.get(s.id)!;
        return { id: s.id, title: s.title, short: `${STEP_WORDS[s.kind]}${s.machine ? ` ${s.machine}` : ""}`, start: t.start, finish: t.finish, ready: t.ready, waitsFor: t.reason.kind === "resource" ? resourceWords(estate, t.reason.resource) : null, onChain: chain.has(s.id), machine: s.machine, state: "projected" };
    });
  const hosts = byId(estate.hosts);
  const stores = byId(estate.stores);
  const strips = sharedStrips(estate, runbook);
  const sites = [...new Set([...runbook.machines.values()].map((m) => estate.sites.find((s) => s.id === hosts.get(m.host)!.site)!.name))];
  return {
    ...base,
    title: sites.length > 0 ? `${names} lost: failover to ${listWords(sites)}` : `${names} lost: nothing is brought back`,
    opening: bars(null),
    rows: [...returning].sort((a, b) => a.tier - b.tier || a.recovery!.serviceable - b.recovery!.serviceable).map((s): RunbookRowView => ({ id: s.service, name: s.name, tier: s.tier, rto: s.rto, bars: bars(s.service), verdict: s.verdict, sentence: s.sentence, serviceable: s.recovery!.serviceable })),
    strips,
    machines: [...runbook.machines.values()].map((m) => ({ id: m.machine, name: estate.machines.find((x) => x.id === m.machine)!.name, capturedAt: m.capturedAt, predicted: m.predicted, point: m.point, stores: m.stores.map((id) => stores.get(id)!.name), host: hosts.get(m.host)!.name, dataBytes: m.dataBytes })),
    cannot: readiness.services.filter((s) => s.verdict === "cannot-return").map((s) => ({ name: s.name, sentence: s.sentence, reasons: s.reasons })),
    notes: runbook.notes,
    end: runbook.timeline.end,
    chosen: picked && { ...picked, chain: links },
    steps: runbook.steps.map((s) => {
      const t = runbook.timeline.steps.get(s.id)!;
      return { id: s.id, title: s.title, actor: s.actor, start: t.start, finish: t.finish, slack: t.slack };
    }),
  };
}

const capital = (words: string): string => words.replace(/^./, (c) => c.toUpperCase());

/** What steps share and run short of: units that are all held at some time, and rates that bind a flow. */
function sharedStrips(estate: Estate, runbook: TimedRunbook): SharedStrip[] {
  const { timeline, resources } = runbook;
  const units = [...unitUsage(runbook.steps, timeline)].flatMap(([id, usage]): SharedStrip[] => {
    const capacity = resources.units.get(id) ?? Infinity;
    return usage.some((u) => u.held >= capacity) ? [{ id, name: capital(resourceWords(estate, id)), capacity, amount: String(capacity), usage: usage.map((u) => ({ at: u.at, used: u.held, full: u.held >= capacity })) }] : [];
  });
  const bound = new Set([...timeline.steps.values()].map((s) => s.boundBy));
  const rates = [...timeline.shares].flatMap(([id, shares]): SharedStrip[] => {
    if (!bound.has(id)) return [];
    const capacity = Math.max(...shares.map((s) => s.capacity));
    return [{ id, name: capital(resourceWords(estate, id)), capacity, amount: rateWords(capacity), usage: shares.map((s) => ({ at: s.at, used: s.used, full: s.used >= s.capacity * (1 - 1e-9) })) }];
  });
  return [...units, ...rates];
}
