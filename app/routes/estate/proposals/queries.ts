import { byId, type Estate } from "#core/estate/model.ts";
import type { Proposal } from "#core/estate/observed.ts";
import { countWords, listWords } from "#core/wording/amounts.ts";
import type { Application } from "#server/application.ts";
import { knownProposals } from "#server/estate/known-proposals.ts";

/** Dependencies that observed connections make one think of, each in words with its evidence. */
export async function readProposals(app: Application, estate: Estate, now: number) {
  const { open, dismissed, confirmed, inside, unknown } = await knownProposals(app.connection.db, estate, now);
  return { open: open.map((p) => shown(estate, p)), dismissed: dismissed.map((p) => ({ ...shown(estate, p), dismissal: { reason: p.reason, by: p.personName, at: p.modelAt } })), confirmed, inside, unknown };
}
export type ProposalsView = Awaited<ReturnType<typeof readProposals>>;

function shown(estate: Estate, p: Proposal) {
  const services = byId(estate.services);
  const name = (id: string): string => services.get(id)?.name ?? id;
  const evidence = p.evidence && {
    connections: p.evidence.connections,
    lastSeen: p.evidence.lastSeen,
    ports: listWords(p.evidence.ports.map((x) => `${x.port} ${x.protocol}`), 4),
    machines: listWords(p.evidence.machines.map(([a, b]) => `${a} → ${b}`), 3),
  };
  const into = p.kind === "homeless" ? p.usedBy.map((id) => ({ id, name: name(id) })) : [];
  return { key: p.key, kind: p.kind, into, evidence, ...wordsOf(p, name) };
}

function wordsOf(p: Proposal, name: (id: string) => string): { sentence: string; proposal: string } {
  switch (p.kind) {
    case "missing":
      return {
        sentence: `${name(p.service)} connects to ${name(p.needs)}, and nothing says that it needs it${p.through.length > 0 ? `; it leads there through ${listWords(p.through.map(name))} already` : ""}.`,
        proposal: `Add a ${p.strength} dependency: ${p.why}.`,
      };
    case "unused":
      return { sentence: `${name(p.service)} is said to need ${name(p.needs)}, and no connection was seen, though both are watched.`, proposal: "Take the dependency away." };
    case "homeless":
      return { sentence: `${p.machine} is part of no service, and ${listWords(p.usedBy.map(name), 5)} ${p.usedBy.length === 1 ? "connects" : "connect"} to it (${countWords(p.usedBy.length, "service")}): nothing would bring it back with them.`, proposal: "Make it part of a service." };
  }
}
