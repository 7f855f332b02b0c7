import { byId, type Capability, diskBytes, type Estate, type Host, type Machine, type PlatformFamily } from "./model.ts";
import { countWords, listWords, sizeWords } from "../wording/amounts.ts";

/** What a family does not offer closes ways of recovery; said wherever a method is chosen. */
const CLOSED: Record<Capability, string> = {
  "start-from-copy": "its machines cannot be started straight from a copy: instant recovery is closed",
  "move-running": "a borrowed machine cannot be moved to permanent disks while it runs: settling takes a stop",
  "network-boot": "its hosts cannot be started over the network: bare hardware needs somebody with boot media",
  quiesce: "applications are not brought to rest for a capture: a copy is as after a power cut",
};
/** Where nothing is closed by leaving it out: a hypervisor starts machines by itself, a cloud has no bare hardware. */
const BESIDE_THE_POINT: Record<PlatformFamily["kind"], readonly Capability[]> = { hypervisor: ["network-boot"], cloud: ["network-boot"], bare: ["start-from-copy", "move-running"] };

/** Sentences, without full stop, on what a family's missing capabilities close. */
export function closedBy(family: PlatformFamily): string[] {
  const closed = (Object.keys(CLOSED) as Capability[]).filter((c) => !family.can.includes(c) && !BESIDE_THE_POINT[family.kind].includes(c)).map((c) => CLOSED[c]);
  return family.kind === "bare" ? ["a physical server is captured by an agent inside it, and without one only when it is stopped", "instant recovery is closed: a physical server has no host that could run it from a copy", ...closed] : closed;
}

/** Whether a host runs machines of a family: as they are, or converted. */
export function runsFamily(estate: Estate, host: Host, family: string): "as it is" | "converted" | null {
  if (host.platform === family) return "as it is";
  return byId(estate.platforms).get(host.platform)?.converts.includes(family) ? "converted" : null;
}

export type HostFit = { host: Host; how: "as it is" | "converted" | null; reasons: string[] };

/**
 * Where else a machine could run, by what hosts are, not by what happens to run there: hosts at
 * other sites and why not, largest memory first.
 */
export function couldRunOn(estate: Estate, machine: Machine): HostFit[] {
  const own = byId(estate.hosts).get(machine.host)!;
  const families = byId(estate.platforms);
  const needs = { cores: machine.cores, memory: machine.memory, pool: diskBytes(machine) };
  return estate.hosts
    .filter((h) => h.id !== own.id)
    .map((host) => {
      const how = runsFamily(estate, host, own.platform);
      const reasons = [
        ...(how ? [] : [`runs ${families.get(host.platform)?.name ?? host.platform}, which takes no machines of ${families.get(own.platform)?.name ?? own.platform}`]),
        ...(host.cores < needs.cores ? [`has ${countWords(host.cores, "core")} and ${needs.cores} are needed`] : []),
        ...(host.memory < needs.memory ? [`has ${sizeWords(host.memory)} of memory and ${sizeWords(needs.memory)} are needed`] : []),
        ...(host.pool < needs.pool ? [`has ${sizeWords(host.pool)} of disk and ${sizeWords(needs.pool)} are needed`] : []),
      ];
      return { host, how, reasons };
    })
    .sort((a, b) => a.reasons.length - b.reasons.length || b.host.memory - a.host.memory || (a.host.id < b.host.id ? -1 : 1));
}

/** The reason why a machine could run at no other site; null where it could. */
export function nowhereElse(estate: Estate, machine: Machine): string | null {
  const home = byId(estate.hosts).get(machine.host)!;
  const elsewhere = couldRunOn(estate, machine).filter((f) => f.host.site !== home.site);
  if (elsewhere.some((f) => f.reasons.length === 0)) return null;
  const near = elsewhere.filter((f) => f.how !== null);
  if (near.length === 0) return `no host at another site runs ${byId(estate.platforms).get(home.platform)?.name ?? home.platform} machines`;
  return listWords(near.slice(0, 3).map((f) => `${f.host.name} ${listWords(f.reasons)}`));
}
