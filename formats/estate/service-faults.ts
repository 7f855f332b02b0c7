import { CHECKS_INSIDE } from "#core/estate/model.ts";
import { readDuration } from "./quantities.ts";
import type { RawCheck, RawEstate } from "./raw-estate.ts";

type Path = (string | number)[];
type RawService = RawEstate["services"][number];

/** What a service says that cannot hold together: checks without what they try, impact out of order. */
export function serviceFaults(service: RawService, say: (path: Path, message: string) => void): void {
  if (!service.checks && !service.check) say(["checks"], "checks is missing; a service needs at least one that proves it is up");
  if (service.checks && service.check) say(["check"], "write every check under checks; check is the older way to write a single one");
  const checks: [Path, RawCheck][] = service.check ? [[["check"], service.check]] : (service.checks ?? []).map((c, k) => [["checks", k], c]);
  for (const [path, check] of checks) {
    const fault = checkFault(check, service);
    if (fault) say([...path, fault[0]], fault[1]);
  }
  service.impact?.forEach((impact, k) => {
    const before = service.impact![k - 1];
    if (before && readDuration(impact.after) <= readDuration(before.after)) say(["impact", k, "after"], `${impact.after} does not come after ${before.after}; list what is felt in the order of time`);
  });
  service.hours?.forEach((hours, k) => {
    if (hours.from === hours.to) say(["hours", k, "to"], `from ${hours.from} to ${hours.to} is no time; write 00:00 to 24:00 for a whole day`);
  });
}

const HOST_AND_PORT = /^[^\s:/]+:\d{1,5}$/;

function checkFault({ kind, to, machine }: RawCheck, service: RawService): ["to" | "machine" | "kind", string] | null {
  if (CHECKS_INSIDE.includes(kind)) {
    if (!machine) return ["kind", `a check of kind ${kind} is tried from inside a machine; say which one`];
    if (!service.machines.includes(machine)) return ["machine", `${machine} is not one of the machines of ${service.id}`];
    if (!to) return ["kind", kind === "outside" ? "say what shall be reached from inside, as host:port" : "say what shall be run"];
  } else if (machine) return ["machine", `a check of kind ${kind} is tried from outside; leave the machine out`];
  if (to === undefined) return null;
  if ((kind === "tcp" || kind === "outside") && !HOST_AND_PORT.test(to)) return ["to", `${to} should be host:port, such as db.example:5432`];
  if ((kind === "http" || kind === "sign-in") && !/^https?:\/\/[^\s/]+/.test(to)) return ["to", `${to} should be an address such as https://shop.example/health`];
  return null;
}

/** Landing zones at sites or on platforms that do not exist, or with networks of other sites. */
export function landingFaults(raw: RawEstate, needs: (kind: string, id: string, path: Path) => void, say: (path: Path, message: string) => void): void {
  const networks = new Map((raw.networks ?? []).map((n) => [n.id, n]));
  const seen = new Map<string, string>();
  raw.landings?.forEach((landing, i) => {
    needs("sites", landing.site, ["landings", i, "site"]);
    if (raw.platforms) needs("platforms", landing.platform, ["landings", i, "platform"]);
    const key = `${landing.site}/${landing.platform}`;
    if (seen.has(key)) say(["landings", i, "platform"], `${seen.get(key)!} is the landing zone of ${landing.platform} at ${landing.site} already`);
    seen.set(key, landing.id);
    landing.networks?.forEach(({ from, to }, k) => {
      const path = ["landings", i, "networks", k];
      needs("networks", from, [...path, "from"]);
      needs("networks", to, [...path, "to"]);
      const [home, there] = [networks.get(from), networks.get(to)];
      if (there && there.site !== landing.site) say([...path, "to"], `${to} is a network of ${there.site}, and this zone lies at ${landing.site}`);
      if (home && home.site === landing.site) say([...path, "from"], `${from} is at ${landing.site} itself; only machines of other sites land here`);
    });
  });
}
