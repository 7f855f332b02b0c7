import { changedBytes } from "../copies/changed-bytes.ts";
import { placeAlone } from "../outage/place-alone.ts";
import { countWords, listWords, sizeWords } from "../wording/amounts.ts";
import type { FoundLanding, Inventory } from "./discovery.ts";
import type { Gap } from "./gaps.ts";
import { byId, diskBytes, type Estate, type LandingZone, type Machine, type Service, type ServiceId, type SiteId, siteOfMachine } from "./model.ts";
import { couldRunOn } from "./platforms.ts";

/** One thing that must be there before the day: there, missing, or not known. */
export type Requirement = {
  what: "zone" | "group" | "network" | "addresses" | "staging" | "account" | "media" | "exports";
  state: "ready" | "missing" | "unknown";
  sentence: string;
  /** What to do; empty where it is ready. */
  remedy: string;
  services: ServiceId[];
};
export type Landing = {
  site: SiteId;
  platform: string;
  zone: LandingZone | null;
  /** Machines that would land here when their own site is lost. */
  machines: string[];
  services: string[];
  requirements: Requirement[];
};

/** Rights without which no machine can be made on a platform. */
export const LANDING_RIGHTS = ["inventory", "make-machines"] as const;
/** Driver media by which machines of one family start on hosts of another, and boot media for bare hardware. */
export const driverMedium = (from: string, to: string): string => `${from}-to-${to}`;
export const bootMedium = (family: string): string => `${family}-boot`;

/** For how long a machine may run from a copy before it is settled (our own choice), and the blocks in which its writes are kept. */
const SCRATCH_HOURS = 8;
const SCRATCH_BLOCK_BYTES = 64 * 1024;

/**
 * For every platform at every site at which machines of another site would land if theirs were lost:
 * what it must have ready, held against what discovery found. `found` is by platform family and site.
 */
export function landingsOf(estate: Estate, found: (site: SiteId, platform: string) => { inventory: Pick<Inventory, "networks">; landing: FoundLanding | null } | null): Landing[] {
  const hosts = byId(estate.hosts);
  const landing = new Map<string, { site: SiteId; platform: string; machines: Machine[] }>();
  for (const [machine, host] of placeAlone(estate)) {
    const { site, platform } = hosts.get(host)!;
    const key = `${site}/${platform}`;
    const had = landing.get(key) ?? { site, platform, machines: [] };
    landing.set(key, had);
    had.machines.push(machine);
  }
  // A zone that is written down is looked at even where nothing would land for want of it.
  for (const { site, platform } of estate.landings) if (!landing.has(`${site}/${platform}`)) landing.set(`${site}/${platform}`, { site, platform, machines: wouldLand(estate, site, platform) });
  return [...landing.values()].map(({ site, platform, machines }) => {
    const zone = estate.landings.find((l) => l.site === site && l.platform === platform) ?? null;
    const services = servicesOf(estate, machines);
    return { site, platform, zone, machines: machines.map((m) => m.id), services: services.map((s) => s.id), requirements: requirementsOf(estate, site, platform, zone, machines, found(site, platform)) };
  });
}

/** What is missing in landing zones, as things that are wanting. */
export function landingGaps(landings: readonly Pick<Landing, "site" | "platform" | "requirements">[]): Gap[] {
  return landings.flatMap((l) =>
    l.requirements
      .filter((r) => r.state === "missing")
      .map((r, i) => ({ id: `landing/${l.site}/${l.platform}/${r.what}/${i}`, about: { kind: "services" as const, ids: r.services }, sentence: r.sentence, remedy: r.remedy })),
  );
}

/** Machines of other sites that could run at a site on a platform, by what its hosts are. */
const wouldLand = (estate: Estate, site: SiteId, platform: string): Machine[] =>
  estate.machines.filter((m) => !m.gone && siteOfMachine(estate, m) !== site && couldRunOn(estate, m).some((f) => f.host.site === site && f.host.platform === platform && f.reasons.length === 0));

const servicesOf = (estate: Estate, machines: readonly Machine[]): Service[] => {
  const ids = new Set(machines.map((m) => m.id));
  return estate.services.filter((s) => s.machines.some((m) => ids.has(m)));
};

function requirementsOf(estate: Estate, site: SiteId, platform: string, zone: LandingZone | null, machines: readonly Machine[], found: ReturnType<Parameters<typeof landingsOf>[1]>): Requirement[] {
  const sites = byId(estate.sites);
  const family = byId(estate.platforms).get(platform)?.name ?? platform;
  const here = `${family} at ${sites.get(site)!.name}`;
  const all = servicesOf(estate, machines).map((s) => s.id);
  const whom = (of: readonly Machine[]): string[] => servicesOf(estate, of).map((s) => s.id);
  if (!zone) return [{ what: "zone", state: "missing", sentence: `No landing zone is written down for ${here}, where ${countWords(machines.length, "machine")} would land.`, remedy: "Write one down under landings in the estate: group, networks, staging, account, media, export address.", services: all }];
  const told = found?.landing ?? null;
  const judge = (what: Requirement["what"], stated: string | undefined, words: { is: string; unstated: string; missing: string; remedy: string }, has: ((landing: FoundLanding) => boolean) | null, services = all): Requirement => {
    if (stated === undefined) return { what, state: "missing", sentence: words.unstated, remedy: "Write it down in the landing zone.", services };
    if (!told || !has) return { what, state: "unknown", sentence: `${words.is} Nobody has looked: ${here} has not been discovered${found ? " with what it has ready" : ""}.`, remedy: "Connect the platform and discover it.", services };
    return has(told) ? { what, state: "ready", sentence: words.is, remedy: "", services } : { what, state: "missing", sentence: words.missing, remedy: words.remedy, services };
  };
  return [
    judge("group", zone.group, { is: `Recovered machines are put into ${zone.group}.`, unstated: `Where recovered machines are put on ${here} is not written down.`, missing: `${here} has no group ${zone.group}, into which recovered machines are put.`, remedy: `Make the group ${zone.group} there.` }, (l) => l.groups.includes(zone.group!)),
    ...networkRequirements(estate, here, site, zone, machines, found, whom),
    stagingRequirement(here, zone, machines, told, all),
    judge("account", zone.account, { is: `The account ${zone.account} may make machines there.`, unstated: `By which account machines are made on ${here} is not written down.`, missing: accountWords(here, zone.account, told), remedy: `Give ${zone.account ?? "it"} the rights ${listWords(LANDING_RIGHTS)}.` }, (l) => LANDING_RIGHTS.every((r) => l.accounts.find((a) => a.name === zone.account)?.rights.includes(r))),
    ...mediaRequirements(estate, here, platform, zone, machines, told, whom),
    judge("exports", zone.exports, { is: `Its hosts read copies from ${zone.exports}.`, unstated: `From which address hosts of ${here} read copies is not written down.`, missing: `Hosts of ${here} cannot reach ${zone.exports}, from which they are to read copies.`, remedy: "Open the way in the network there, or state another address." }, (l) => l.reaches.includes(zone.exports!)),
  ];
}

const accountWords = (here: string, account: string | undefined, told: FoundLanding | null): string => {
  const rights = told?.accounts.find((a) => a.name === account)?.rights;
  return rights ? `The account ${account} on ${here} may only ${listWords(rights) || "sign in"}, and has to ${listWords(LANDING_RIGHTS)}.` : `${here} knows no account ${account}.`;
};

/** Every production network of a machine that lands needs one to take its place, which the platform has and which has room. */
function networkRequirements(estate: Estate, here: string, site: SiteId, zone: LandingZone, machines: readonly Machine[], found: { inventory: Pick<Inventory, "networks"> } | null, whom: (of: readonly Machine[]) => string[]): Requirement[] {
  const networks = byId(estate.networks);
  const homes = new Map<string, Machine[]>();
  for (const machine of machines) for (const { network } of machine.attached ?? []) if (networks.get(network)!.site !== site) homes.set(network, [...(homes.get(network) ?? []), machine]);
  return [...homes].map(([home, attached]): Requirement => {
    const name = networks.get(home)!.name;
    const services = whom(attached);
    const to = zone.networks.find((n) => n.from === home)?.to;
    if (!to) return { what: "network", state: "missing", sentence: `No network of ${here} takes the place of ${name}, to which ${countWords(attached.length, "machine")} ${attached.length === 1 ? "is" : "are"} attached.`, remedy: "State one in the landing zone, and make it there.", services };
    const there = networks.get(to)!;
    if (!found) return { what: "network", state: "unknown", sentence: `${there.name} takes the place of ${name}. Nobody has looked: ${here} has not been discovered.`, remedy: "Connect the platform and discover it.", services };
    if (!found.inventory.networks.some((n) => n.id === to)) return { what: "network", state: "missing", sentence: `${here} has no subnet ${there.name} (${there.range}), which is to take the place of ${name}.`, remedy: `Make the subnet ${there.range} there.`, services };
    const room = addressesIn(there.range);
    const taken = estate.machines.filter((m) => m.attached?.some((a) => a.network === to)).length;
    if (taken + attached.length > room) return { what: "addresses", state: "missing", sentence: `${there.name} (${there.range}) has ${countWords(room, "address", "addresses")} and ${taken + attached.length} would be needed.`, remedy: "Make it larger, or spread the machines over two.", services };
    return { what: "network", state: "ready", sentence: `${there.name} takes the place of ${name}; it has room for ${countWords(attached.length, "machine")} more.`, remedy: "", services };
  });
}

/** Addresses that machines can have in a range: of IPv4 all but network, broadcast and gateway. */
export function addressesIn(range: string): number {
  const bits = Number(range.split("/")[1]);
  const size = 2 ** ((range.includes(":") ? 128 : 32) - bits);
  return Math.max(0, size - 3);
}

/** Largest machine staged whole, and what all write in a day's work while they run from copies. */
function stagingRequirement(here: string, zone: LandingZone, machines: readonly Machine[], told: FoundLanding | null, services: string[]): Requirement {
  if (!zone.staging) return { what: "staging", state: "missing", sentence: `Where copies are staged on ${here} is not written down.`, remedy: "Write it down in the landing zone.", services };
  const largest = Math.max(0, ...machines.map(diskBytes));
  const scratch = machines.reduce((n, m) => n + changedBytes(m.change, SCRATCH_BLOCK_BYTES, SCRATCH_HOURS * 3600, diskBytes(m)), 0);
  const needed = largest + scratch;
  const words = `${sizeWords(needed)}: the largest machine whole and ${SCRATCH_HOURS} hours of writes of ${countWords(machines.length, "machine")}`;
  if (!told) return { what: "staging", state: "unknown", sentence: `${zone.staging} needs ${words}. Nobody has looked how much is free.`, remedy: "Connect the platform and discover it.", services };
  const pools = told.free.filter((f) => f.pool === zone.staging);
  if (pools.length === 0) return { what: "staging", state: "missing", sentence: `${here} has no disk pool ${zone.staging}, in which copies are to be staged.`, remedy: `Make it with ${sizeWords(needed)}, or state another.`, services };
  const free = pools.reduce((n, p) => n + p.bytes, 0);
  if (free < needed) return { what: "staging", state: "missing", sentence: `${zone.staging} has ${sizeWords(free)} free and needs ${words}.`, remedy: `Free or add ${sizeWords(needed - free)}.`, services };
  return { what: "staging", state: "ready", sentence: `${zone.staging} has ${sizeWords(free)} free; ${words} are needed.`, remedy: "", services };
}

/** Machines of another family need drivers for the hosts here; bare hardware needs something to start from. */
function mediaRequirements(estate: Estate, here: string, platform: string, zone: LandingZone, machines: readonly Machine[], told: FoundLanding | null, whom: (of: readonly Machine[]) => string[]): Requirement[] {
  const hosts = byId(estate.hosts);
  const needed = new Map<string, Machine[]>();
  const need = (medium: string, machine: Machine): void => void needed.set(medium, [...(needed.get(medium) ?? []), machine]);
  const bare = byId(estate.platforms).get(platform);
  for (const machine of machines) {
    const from = hosts.get(machine.host)!.platform;
    if (from !== platform) need(driverMedium(from, platform), machine);
    if (bare?.kind === "bare" && !bare.can.includes("network-boot")) need(bootMedium(platform), machine);
  }
  return [...needed].map(([medium, of]): Requirement => {
    const services = whom(of);
    const why = `without ${medium} ${countWords(of.length, "machine")} would not start there`;
    if (!zone.media.includes(medium)) return { what: "media", state: "missing", sentence: `${medium} is not among the media of the landing zone: ${why}.`, remedy: `Put the drivers ready and write ${medium} down.`, services };
    if (!told) return { what: "media", state: "unknown", sentence: `${medium} is written down. Nobody has looked whether ${here} has it.`, remedy: "Connect the platform and discover it.", services };
    if (!told.media.includes(medium)) return { what: "media", state: "missing", sentence: `${here} does not have ${medium}: ${why}.`, remedy: `Put ${medium} there.`, services };
    return { what: "media", state: "ready", sentence: `${medium} is there.`, remedy: "", services };
  });
}
