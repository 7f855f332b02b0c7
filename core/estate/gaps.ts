import { type ArrivalLags, projectedLags } from "../copies/legs.ts";
import { countWords, durationWords, listWords } from "../wording/amounts.ts";
import { byId, type Estate, type Machine, type Policy, siteOfMachine, type Store, storeCapacity } from "./model.ts";
import { nowhereElse } from "./platforms.ts";
import { routeBetween } from "./route.ts";
import { groupFaults, targetFaults } from "./targets.ts";

/** Something that will bite on the day, found by computation; `about` names the items it bites. */
export type Gap = { id: string; about: { kind: "machines" | "services" | "stores" | "keys" | "groups"; ids: string[] }; sentence: string; remedy: string };

const NO_LOSS: ReadonlySet<string> = new Set();
/** A key in writing is tried every year (common practice). */
const TRIED_WITHIN_DAYS = 366;

/** Everything wanting in an estate as of an instant, most severe kinds first. `used` is what each store is filled with. */
export function gapsOf(estate: Estate, at: number, used: ReadonlyMap<string, number> = new Map()): Gap[] {
  const policies = new Map<string, Policy[]>();
  for (const policy of estate.policies) for (const id of policy.machines) policies.set(id, [...(policies.get(id) ?? []), policy]);
  const lags = new Map(estate.policies.map((p) => [p.id, projectedLags(estate, p, at)]));
  return [
    ...together(estate, (m) => copiesWanting(estate, m, policies.get(m.id) ?? [])),
    ...together(estate, (m) => placeWanting(estate, m)),
    ...lossWanting(estate, policies, lags),
    ...targetsWanting(estate),
    ...keysWanting(estate, at),
    ...estate.stores.flatMap((s) => storeWanting(estate, s, used.get(s.id) ?? 0)),
    ...estate.machines.flatMap((m) => overlapping(m, policies.get(m.id) ?? [])),
  ];
}

/** What is wanting of one machine, said so that several can share it: `one` or `many` follows their names. */
type Wanting = { kind: string; one: string; many: string; remedy: string } | null;

/** Machines of which the same is wanting share one sentence. */
function together(estate: Estate, of: (machine: Machine) => Wanting): Gap[] {
  const groups = new Map<string, { wanting: NonNullable<Wanting>; machines: Machine[] }>();
  for (const machine of estate.machines) {
    const wanting = of(machine);
    if (!wanting) continue;
    const key = `${wanting.kind}/${wanting.one}`;
    const group = groups.get(key);
    if (group) group.machines.push(machine);
    else groups.set(key, { wanting, machines: [machine] });
  }
  return [...groups.values()].map(({ wanting, machines }) => ({
    id: `${wanting.kind}/${machines[0]!.id}`,
    about: { kind: "machines", ids: machines.map((m) => m.id) },
    sentence: `${listWords(machines.map((m) => m.name), 6)} ${machines.length === 1 ? wanting.one : wanting.many}.`,
    remedy: wanting.remedy,
  }));
}

function copiesWanting(estate: Estate, machine: Machine, policies: readonly Policy[]): Wanting {
  if (machine.gone) return null;
  if (policies.length === 0) return { kind: "unprotected", one: "is in no policy: it is never copied", many: "are in no policy: they are never copied", remedy: "Put them into one, or write down that they need not come back." };
  const stores = byId(estate.stores);
  const sites = new Set(policies.flatMap((p) => p.legs.map((leg) => stores.get(leg.to)!.site)));
  const home = siteOfMachine(estate, machine);
  const siteName = byId(estate.sites);
  const away = `no copy away from ${siteName.get(home)!.name}: what takes the site takes every copy`;
  if ([...sites].every((s) => s === home)) return { kind: "off-site", one: `has ${away}`, many: `have ${away}`, remedy: "Add a leg to a store at another site." };
  const shared = estate.hazards.find((h) => h.takes.includes(home) && [...sites].every((s) => h.takes.includes(s)));
  if (!shared) return null;
  return { kind: "hazard", one: `and all its copies hang on one hazard: ${shared.name}`, many: `and all their copies hang on one hazard: ${shared.name}`, remedy: "Add a leg to a store that it does not take." };
}

function placeWanting(estate: Estate, machine: Machine): Wanting {
  const why = nowhereElse(estate, machine);
  const words = `could run at no other site: ${why}`;
  return why === null ? null : { kind: "place", one: words, many: words, remedy: "Enlarge a host there, add one, or make the machine smaller." };
}

/** Services of which a policy cannot keep the RPO should the machine's site be lost just before the next copy arrives. */
function lossWanting(estate: Estate, policies: ReadonlyMap<string, readonly Policy[]>, lags: ReadonlyMap<string, ArrivalLags>): Gap[] {
  const machines = byId(estate.machines);
  return estate.services.flatMap((service) => {
    const worst = service.machines
      .map((id) => worstLoss(estate, machines.get(id)!, policies.get(id) ?? [], lags))
      .filter((w) => w !== null)
      .sort((a, b) => b.seconds - a.seconds)[0];
    if (!worst || worst.seconds <= service.rpo) return [];
    const way = worst.lag > 60 ? `${durationWords(worst.policy.every)} between copies and ${durationWords(worst.lag)} ${worst.over} to ${worst.store.name}` : `${durationWords(worst.policy.every)} between copies`;
    const remedy = worst.policy.every < service.rpo ? "Widen the line, move the first leg, or change less." : `Copy at least every ${durationWords(Math.max(60, service.rpo - worst.lag))}, or protect it continuously.`;
    return [{ id: `rpo/${service.id}`, about: { kind: "services" as const, ids: [service.id] }, sentence: `${service.name} can lose ${durationWords(worst.seconds)} of ${worst.machine.name} and may lose ${durationWords(service.rpo)}: ${way}.`, remedy }];
  });
}

function worstLoss(estate: Estate, machine: Machine, policies: readonly Policy[], lags: ReadonlyMap<string, ArrivalLags>) {
  const stores = byId(estate.stores);
  const home = siteOfMachine(estate, machine);
  const ways = policies.flatMap((policy) =>
    policy.legs.flatMap((leg) => {
      const store = stores.get(leg.to)!;
      const lag = store.site === home ? undefined : lags.get(policy.id)!.get(`${machine.id}\n${store.id}`);
      return lag === undefined || !Number.isFinite(lag) ? [] : [{ machine, policy, store, lag, seconds: policy.every + lag, over: overWords(estate, home, store.site) }];
    }),
  );
  return ways.sort((a, b) => a.seconds - b.seconds)[0] ?? null;
}

function overWords(estate: Estate, from: string, to: string): string {
  const sites = byId(estate.sites);
  const hops = routeBetween(estate, from, to, NO_LOSS) ?? [];
  const links = byId(estate.links);
  return hops.length === 0 ? "" : `over the line ${links.get(hops[0]!.link)!.between.map((s) => sites.get(s)!.name).join(" – ")}`;
}

function targetsWanting(estate: Estate): Gap[] {
  const unsaid = estate.services.filter((s) => s.impact.length === 0);
  return [
    ...targetFaults(estate).map((f) => ({ id: `${f.kind}/${[f.service, ...f.path.slice(-1)].join("/")}`, about: { kind: "services" as const, ids: [...new Set([f.service, ...f.path])] }, sentence: f.sentence, remedy: f.remedy })),
    ...groupFaults(estate).map((f) => ({ id: `group/${f.group}`, about: { kind: "groups" as const, ids: [f.group] }, sentence: f.sentence, remedy: f.remedy })),
    ...(unsaid.length === 0 ? [] : [{ id: "unsaid", about: { kind: "services" as const, ids: unsaid.map((s) => s.id) }, sentence: `What the business would miss is not written down for ${countWords(unsaid.length, "service")}: ${listWords(unsaid.map((s) => s.name), 6)}.`, remedy: "Ask the owners what is felt after an hour, a day, a week." }]),
  ];
}

function keysWanting(estate: Estate, at: number): Gap[] {
  const sites = byId(estate.sites);
  return estate.keys.flatMap((key) => {
    const about = { kind: "keys" as const, ids: [key.id] };
    const gaps: Gap[] = [];
    const [only] = key.holders;
    if (key.holders.length === 1)
      gaps.push({ id: `holder/${key.id}`, about, sentence: `${key.name} has a single holder, ${only!.who} (${only!.place}): without it every copy it opens is useless.`, remedy: "Give it in writing to a second holder at another place." });
    else {
      const places = new Set(key.holders.map((h) => h.site));
      const site = places.size === 1 ? [...places][0] : undefined;
      if (site) gaps.push({ id: `place/${key.id}`, about, sentence: `Every holder of ${key.name} keeps it at ${sites.get(site)!.name}.`, remedy: "Keep one at another site." });
    }
    const stale = key.holders.filter((h) => !h.tried || at - Date.parse(h.tried) > TRIED_WITHIN_DAYS * 86_400_000);
    if (stale.length > 0) gaps.push({ id: `tried/${key.id}`, about, sentence: `${key.name} has not been tried within a year by ${listWords(stale.map((h) => h.who))}.`, remedy: "Have it opened and written down." });
    return gaps;
  });
}

function storeWanting(estate: Estate, store: Store, used: number): Gap[] {
  const about = { kind: "stores" as const, ids: [store.id] };
  const gaps: Gap[] = [];
  const fed = estate.policies.flatMap((p) => p.legs.filter((l) => l.to === store.id).map((leg) => ({ policy: p, leg })));
  const sites = byId(estate.sites);
  const crosses = fed.find(({ policy, leg }) => {
    const from = leg.from === "machine" ? policy.machines.map((id) => siteOfMachine(estate, byId(estate.machines).get(id)!)) : [byId(estate.stores).get(leg.from)!.site];
    return from.some((site) => site !== store.site);
  });
  if (store.encryptedTransport === false && crosses)
    gaps.push({ id: `transport/${store.id}`, about, sentence: `What ${crosses.policy.name} sends to ${store.name} crosses a line to ${sites.get(store.site)!.name} unencrypted${store.kind === "drive" ? ": it was left off when the drive was carried away" : ""}.`, remedy: "Turn transport encryption on." });
  if (store.redundancy?.second === "declared-disaster")
    gaps.push({ id: `second/${store.id}`, about, sentence: `The second copy of ${store.name} at ${sites.get(store.redundancy.secondSite!)!.name} can be read only once the provider declares a disaster: it counts for nothing in a rehearsal or before that.`, remedy: "Have the second site made readable at will, or replicate there yourselves." });
  if (used > 0.9 * storeCapacity(store)) gaps.push({ id: `room/${store.id}`, about, sentence: `${store.name} is ${Math.floor((100 * used) / storeCapacity(store))} % full.`, remedy: "Enlarge it; nothing is cleaned up yet." });
  return gaps;
}

/** Captures of one machine that begin at one instant: the later one is left out. */
function overlapping(machine: Machine, policies: readonly Policy[]): Gap[] {
  if (policies.length < 2) return [];
  const every = policies.map((p) => p.every).reduce(leastCommonMultiple);
  return [
    {
      id: `overlap/${machine.id}`,
      about: { kind: "machines", ids: [machine.id] },
      sentence: `${machine.name} is captured by ${countWords(policies.length, "policy", "policies")} (${listWords(policies.map((p) => p.name))}), which begin at the same instant every ${durationWords(every)}: one of them is left out then.`,
      remedy: "Capture it once and carry the points on by a leg.",
    },
  ];
}

function leastCommonMultiple(a: number, b: number): number {
  let [x, y] = [a, b];
  while (y > 0) [x, y] = [y, x % y];
  return (a / x) * b;
}
