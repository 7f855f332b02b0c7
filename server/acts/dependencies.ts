import { dependencyLoops } from "#core/graph/loops.ts";
import { type Proposal } from "#core/estate/observed.ts";
import { byId, type Dependency, type Estate, type ServiceId, type Strength } from "#core/estate/model.ts";
import { listWords } from "#core/wording/amounts.ts";
import type { Application } from "../application.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { dismissedProposals } from "../db/schema.ts";
import { changeEstate } from "../estate/change-estate.ts";
import { checked, MOVED, standing, unlessMoved } from "../estate/standing.ts";
import { CannotError, mustAct } from "../people/roles.ts";
import { knownProposals, proposalText } from "../estate/known-proposals.ts";
import { act, type ActContext } from "./act.ts";

/** `strength` null takes the dependency away. `order` states in which order the services of a loop start. */
export type DependencyChange = { service: ServiceId; needs: ServiceId; strength: Strength | null; order?: ServiceId[]; base: number; reason: string };

/**
 * Sets or takes away one dependency. Where that closed a loop that neither a soft dependency nor a
 * stated order breaks, nothing changes and the services of the loop come back to be asked about.
 */
export async function changeDependency({ app, person }: ActContext, change: DependencyChange): Promise<{ changed: number } | { loop: { id: ServiceId; name: string }[] }> {
  mustAct(person);
  const now = await present(app, person.organisationId);
  const services = byId(now.services);
  const service = services.get(change.service);
  if (!service || !services.has(change.needs)) throw new CannotError(`There is no service ${service ? change.needs : change.service} any more`);
  if (change.service === change.needs) throw new CannotError("A service cannot need itself");
  if (change.order) orderMustBeWhole(change.order, services);
  const place = new Map(change.order?.map((id, i) => [id, i + 1]));
  const next = withoutIdleOrder({ ...now, services: now.services.map((s) => ({ ...s, ...(place.has(s.id) ? { startOrder: place.get(s.id)! } : {}), ...(s.id === change.service ? { dependsOn: withDependency(s.dependsOn, change) } : {}) })) });
  const loop = newlyUnbroken(now, next);
  if (loop) return { loop: loop.map((id) => ({ id, name: services.get(id)!.name })) };
  return unlessMoved(MOVED, async () => changeEstate(app.connection.db, standing("The dependency cannot be like this", () => checked(next)), { personName: person.name, reason: change.reason, modelAt: await app.world.now() }, change.base));
}

/** An order states who starts first in a loop; once there is no loop, it would wait there for the next one unseen. */
function withoutIdleOrder(estate: Estate): Estate {
  const inLoops = new Set(dependencyLoops(estate).flatMap((l) => (l.broken === "soft" ? [] : l.services)));
  return {
    ...estate,
    services: estate.services.map((service) => {
      if (service.startOrder === undefined || inLoops.has(service.id)) return service;
      const rest = { ...service };
      delete rest.startOrder;
      return rest;
    }),
  };
}

async function present(app: Application, organisationId: string): Promise<Estate> {
  const now = await loadEstate(app.connection.db, organisationId);
  if (!now) throw new CannotError("No estate is described yet");
  return now;
}

function orderMustBeWhole(order: readonly ServiceId[], services: ReadonlyMap<ServiceId, unknown>): void {
  const strange = order.find((id) => !services.has(id));
  if (strange !== undefined) throw new CannotError(`There is no service ${strange} that could be put in order`);
  if (new Set(order).size !== order.length) throw new CannotError("A service stands twice in the order; name each once");
}

const withDependency = (had: readonly Dependency[], { needs, strength }: Pick<DependencyChange, "needs" | "strength">): Dependency[] =>
  strength === null ? had.filter((d) => d.service !== needs) : had.some((d) => d.service === needs) ? had.map((d) => (d.service === needs ? { service: needs, strength } : d)) : [...had, { service: needs, strength }];

/** Services that hard dependencies bind in a loop without an order, and did not, or not these alone, before. */
function newlyUnbroken(before: Estate, after: Estate): ServiceId[] | null {
  const key = (ids: readonly ServiceId[]): string => [...ids].sort().join(" ");
  const had = new Set(dependencyLoops(before).flatMap((l) => l.open.map(key)));
  return dependencyLoops(after).flatMap((l) => l.open).find((ids) => !had.has(key(ids))) ?? null;
}

export type Answering = { keys: readonly string[]; base: number; reason: string; /** Into which service a machine of none goes. */ into?: string };

async function chosenProposals({ app, person }: ActContext, keys: readonly string[]): Promise<{ now: Estate; chosen: Proposal[] }> {
  mustAct(person);
  const now = await present(app, person.organisationId);
  const { open } = await knownProposals(app.connection.db, now, await app.world.now());
  const wanted = new Set(keys);
  const chosen = open.filter((p) => wanted.has(p.key));
  if (chosen.length === 0) throw new CannotError("Choose at least one proposal that is still there");
  return { now, chosen };
}

/** Does what proposals say: adds what is missing, takes away what nobody uses, puts machines of no service into one. */
export async function acceptProposals(context: ActContext, { keys, base, reason, into }: Answering): Promise<{ changed: number }> {
  const { now, chosen } = await chosenProposals(context, keys);
  const { app, person } = context;
  let services = now.services;
  for (const p of chosen) {
    if (p.kind === "homeless") {
      const target = into ?? (p.usedBy.length === 1 ? p.usedBy[0] : undefined);
      if (!services.some((s) => s.id === target)) throw new CannotError(`Choose the service that ${p.machine} is part of; ${listWords([...p.usedBy])} use it`);
      services = services.map((s) => (s.id === target ? { ...s, machines: [...s.machines, p.machine] } : s));
    } else services = services.map((s) => (s.id === p.service ? { ...s, dependsOn: withDependency(s.dependsOn, { needs: p.needs, strength: p.kind === "missing" ? p.strength : null }) } : s));
  }
  const next = { ...now, services };
  const loop = newlyUnbroken(now, next);
  if (loop) throw new CannotError(`Together these would close a loop that nothing breaks: ${listWords(loop.map((id) => byId(now.services).get(id)!.name), 6)}. Accept them one by one, or add one of them by hand as a soft dependency`);
  return unlessMoved(MOVED, async () => changeEstate(app.connection.db, standing("These cannot be accepted", () => checked(next)), { personName: person.name, reason, modelAt: await app.world.now() }, base));
}

/** Leaves proposals be, with a reason; they come back only if what is proposed changes. */
export async function dismissProposals(context: ActContext, { keys, reason }: Pick<Answering, "keys" | "reason">): Promise<{ dismissed: number }> {
  const { chosen } = await chosenProposals(context, keys);
  const { organisationId, name: personName } = context.person;
  await act(context, { act: "proposals dismissed", subject: listWords(chosen.map((p) => p.key), 5), reason }, async (tx, modelAt) => {
    for (const p of chosen) {
      const values = { seen: proposalText(p), reason, personName, modelAt };
      await tx.insert(dismissedProposals).values({ organisationId, key: p.key, ...values }).onConflictDoUpdate({ target: [dismissedProposals.organisationId, dismissedProposals.key], set: values });
    }
  });
  return { dismissed: chosen.length };
}
