import { Ajv2020, type ErrorObject, type ValidateFunction } from "ajv/dist/2020.js";
import formatsPlugin from "ajv-formats";
import { isAlias, isMap, isScalar, isSeq, type LineCounter, type Document, type Node } from "yaml";
import type { CopyFact } from "#core/copies/copy-fact.ts";
import { type Estate, usedBytes } from "#core/estate/model.ts";
import { readClock, readDuration, readRate, readSize } from "./quantities.ts";
import { attachmentFaults, networkFaults } from "./network-faults.ts";
import { landingFaults, serviceFaults } from "./service-faults.ts";
import { readYaml } from "./yaml-text.ts";
import type { RawEstate } from "./raw-estate.ts";
import { ESTATE_SCHEMA } from "./schema.ts";

/** One thing wrong in a file: where, what, and what would be right. */
export type EstateFault = { path: string; line: number; message: string };

export class EstateFileError extends Error {
  override readonly name = "EstateFileError";
  constructor(readonly faults: readonly EstateFault[]) {
    super(faults.map((f) => `line ${f.line}, ${f.path}: ${f.message}`).join("\n"));
  }
}

export type EstateFile = { estate: Estate; points: CopyFact[] | null };

const MOST_BYTES = 64 * 1024 * 1024;
const MOST_FAULTS = 20;

let compiled: ValidateFunction<RawEstate> | undefined;
/** Compiling takes a third of a second, which a process that reads no estate file need not wait for. */
function schemaCheck(): ValidateFunction<RawEstate> {
  if (compiled) return compiled;
  const ajv = new Ajv2020({ allErrors: true, allowUnionTypes: true, verbose: true });
  formatsPlugin.default(ajv);
  return (compiled = ajv.compile<RawEstate>(ESTATE_SCHEMA));
}

/** Reads an estate file (YAML or JSON). Throws `EstateFileError` with every fault's path and line. */
export function readEstate(text: string): EstateFile {
  if (Buffer.byteLength(text) > MOST_BYTES) throw new EstateFileError([{ path: "/", line: 1, message: "the file is larger than 64 MiB" }]);
  const { document, lines, contents, errors } = readYaml(text);
  if (errors.length > 0) throw new EstateFileError(errors.slice(0, MOST_FAULTS).map((e) => ({ path: "/", ...e })));
  return estateFromRaw(contents, (path) => lineOf(document, lines, path));
}

/**
 * The estate that already parsed contents stand for. `at` tells the line of a path where there is
 * a file. Throws `EstateFileError` with every fault.
 */
export function estateFromRaw(raw: unknown, at: (path: readonly (string | number)[]) => number = () => 1): EstateFile {
  const validate = schemaCheck();
  if (!validate(raw)) throw new EstateFileError(schemaFaults(validate.errors ?? [], raw, at));
  const faults = referenceFaults(raw, at);
  if (faults.length > 0) throw new EstateFileError(faults.slice(0, MOST_FAULTS));
  const estate = toEstate(raw);
  return { estate, points: raw.points ? toFacts(raw.points, estate) : null };
}

function lineOf(document: Document, lines: LineCounter, path: readonly (string | number)[]): number {
  let node: unknown = document.contents;
  let offset = 0;
  for (const part of path) {
    if (isAlias(node)) break;
    if (isMap(node)) {
      const pair = node.items.find((p) => isScalar(p.key) && p.key.value === part);
      if (!pair) break;
      offset = (pair.key as Node).range?.[0] ?? offset;
      node = pair.value;
    } else if (isSeq(node)) node = node.items[Number(part)];
    else break;
    const range = (node as Node | null)?.range;
    if (range && !isMap(node) && !isSeq(node)) offset = range[0];
    else if (range && typeof part === "number") offset = range[0];
  }
  return lines.linePos(offset).line;
}

function schemaFaults(errors: readonly ErrorObject[], raw: unknown, at: (path: (string | number)[]) => number): EstateFault[] {
  return errors.slice(0, MOST_FAULTS).map((error) => {
    const path = error.instancePath.split("/").slice(1).map((p) => (/^\d+$/.test(p) ? Number(p) : p.replaceAll("~1", "/").replaceAll("~0", "~")));
    const extra = (error.params as { additionalProperty?: string }).additionalProperty;
    const value = path.reduce<unknown>((v, key) => (v as Record<string | number, unknown> | undefined)?.[key], raw);
    return { path: namedPath(path, raw), line: at(extra ? [...path, extra] : path), message: schemaWords(error, value) };
  });
}

function schemaWords(error: ErrorObject, value: unknown): string {
  const params = error.params as Record<string, unknown>;
  const shown = JSON.stringify(value)?.slice(0, 60);
  switch (error.keyword) {
    case "additionalProperties":
      return `${String(params["additionalProperty"])} is not known here; check its spelling against docs/estate-format.md`;
    case "required":
      return `${String(params["missingProperty"])} is missing`;
    case "pattern": {
      const what = (error.parentSchema as { description?: string } | undefined)?.description;
      return `${shown} should be ${what ?? describePattern(String(params["pattern"]))}`;
    }
    case "enum":
      return `${shown} should be one of ${(params["allowedValues"] as unknown[]).join(", ")}`;
    case "const":
      return `${shown} should be ${JSON.stringify(params["allowedValue"])}`;
    case "type":
      return `${shown ?? "nothing"} should be of type ${String(params["type"])}`;
    default:
      return `${shown} ${error.message ?? "is not allowed"}`;
  }
}

function describePattern(pattern: string): string {
  if (pattern === "^[a-z][a-z0-9-]*$") return "an id of small letters, digits and hyphens";
  if (pattern === "^[A-Z]{2}$") return "a country code of two capitals";
  const units = /\((?:[^()]*\|)?[^()]*\)\$$/.exec(pattern)?.[0].slice(1, -2).replaceAll("\\/", "/").split("|");
  return units ? `a number, a space and one of ${units.join(", ")}` : `text like ${pattern}`;
}

/** `/machines/booking-db/disks/0`: list items by their id where they have one. */
function namedPath(path: readonly (string | number)[], raw: unknown): string {
  let value = raw;
  let out = "";
  for (const key of path) {
    value = (value as Record<string | number, unknown> | undefined)?.[key];
    const own = typeof key === "number" ? (value as { id?: unknown } | undefined)?.id : undefined;
    out += `/${typeof own === "string" ? own : key}`;
  }
  return out || "/";
}

function referenceFaults(raw: RawEstate, at: (path: (string | number)[]) => number): EstateFault[] {
  const faults: EstateFault[] = [];
  const say = (path: (string | number)[], message: string): void => void faults.push({ path: namedPath(path, raw), line: at(path), message });
  const ids: Record<string, Set<string>> = {};
  for (const kind of ["sites", "hazards", "links", "networks", "platforms", "hosts", "stores", "keys", "machines", "services", "groups", "policies", "landings"] as const) {
    const known = (ids[kind] = new Set<string>());
    raw[kind]?.forEach((item, i) => {
      if (known.has(item.id)) say([kind, i, "id"], `${item.id} is used twice; every id of a kind must be its own`);
      known.add(item.id);
    });
  }
  // What can be lost is named by its id alone, so these share one set of names.
  const taken = new Map<string, string>();
  for (const kind of ["sites", "hazards", "links", "hosts", "stores"] as const)
    raw[kind]?.forEach(({ id }, i) => {
      const other = taken.get(id);
      if (other && other !== kind) say([kind, i, "id"], `${id} names one of the ${other} too; what can be lost needs a name of its own`);
      taken.set(id, kind);
    });
  const needs = (kind: string, id: string, path: (string | number)[]): void => {
    if (!ids[kind]!.has(id)) say(path, `there is no ${kind === "policies" ? "policy" : kind.replace(/s$/, "")} ${id}; known are ${[...ids[kind]!].slice(0, 6).join(", ") || "none"}`);
  };
  const needsZone = (zone: string, path: (string | number)[]): void => {
    try {
      new Intl.DateTimeFormat("en-GB", { timeZone: zone });
    } catch {
      say(path, `${zone} is no time zone; write one such as Europe/Tallinn`);
    }
  };
  needsZone(raw.organisation.timeZone, ["organisation", "timeZone"]);
  raw.sites.forEach((site, i) => site.timeZone !== undefined && needsZone(site.timeZone, ["sites", i, "timeZone"]));
  raw.hazards?.forEach((hazard, i) =>
    hazard.takes.forEach((id, k) => {
      if (!ids["sites"]!.has(id) && !ids["links"]!.has(id)) say(["hazards", i, "takes", k], `there is no site or link ${id} that the hazard could take`);
    }),
  );
  for (const [path, site] of [
    [["coordinator", "site"], raw.coordinator.site],
    [["coordinator", "copy", "site"], raw.coordinator.copy.site],
    [["coordinator", "returns", "site"], raw.coordinator.returns.site],
  ] as const)
    needs("sites", site, [...path]);
  if (raw.coordinator.copy.site === raw.coordinator.site) say(["coordinator", "copy", "site"], "the coordinator's own copy must lie at another site than the coordinator");
  raw.links?.forEach((link, i) => {
    link.between.forEach((site, k) => needs("sites", site, ["links", i, "between", k]));
    if (link.between[0] === link.between[1]) say(["links", i, "between"], "a link joins two different sites");
  });
  networkFaults(raw.networks ?? [], (i) => needs("sites", raw.networks![i]!.site, ["networks", i, "site"]), (i, key, message) => say(["networks", i, key], message));
  raw.platforms?.forEach((platform, i) =>
    platform.converts?.forEach((id, k) => {
      needs("platforms", id, ["platforms", i, "converts", k]);
      if (id === platform.id) say(["platforms", i, "converts", k], "a platform runs its own machines; it has nothing to convert");
    }),
  );
  raw.hosts.forEach((host, i) => {
    needs("sites", host.site, ["hosts", i, "site"]);
    if (raw.platforms?.length) needs("platforms", host.platform, ["hosts", i, "platform"]);
  });
  raw.stores.forEach((store, i) => {
    needs("sites", store.site, ["stores", i, "site"]);
    if (store.quota && readSize(store.quota) > readSize(store.capacity)) say(["stores", i, "quota"], `a quota of ${store.quota} is more than the ${store.capacity} that there are; leave it out or lower it`);
    const { secondSite, second } = store.redundancy ?? {};
    if (secondSite) needs("sites", secondSite, ["stores", i, "redundancy", "secondSite"]);
    if (secondSite === store.site) say(["stores", i, "redundancy", "secondSite"], "the second copy lies at another site than the store; leave the second site out where both lie at one");
    if ((secondSite === undefined) !== (second === undefined)) say(["stores", i, "redundancy"], "a second site and when it may be read belong together; state both or neither");
  });
  raw.keys?.forEach((key, i) => {
    key.opens.forEach((store, k) => needs("stores", store, ["keys", i, "opens", k]));
    key.holders.forEach((holder, k) => holder.site && needs("sites", holder.site, ["keys", i, "holders", k, "site"]));
  });
  raw.machines.forEach((machine, i) => {
    needs("hosts", machine.host, ["machines", i, "host"]);
    machine.disks.forEach((disk, k) => {
      if (readSize(disk.used) > readSize(disk.size)) say(["machines", i, "disks", k, "used"], `${disk.used} are used of a disk of ${disk.size}; used must not be larger than size`);
      if (readSize(disk.size) === 0) say(["machines", i, "disks", k, "size"], "a disk has some size");
      if (machine.disks.findIndex((d) => d.id === disk.id) !== k) say(["machines", i, "disks", k, "id"], `${disk.id} is used twice in this machine`);
    });
  });
  attachmentFaults(raw, needs, say);
  raw.services.forEach((service, i) => {
    service.machines.forEach((machine, k) => needs("machines", machine, ["services", i, "machines", k]));
    service.dependsOn?.forEach((dependency, k) => {
      needs("services", dependency.service, ["services", i, "dependsOn", k, "service"]);
      if (dependency.service === service.id) say(["services", i, "dependsOn", k, "service"], "a service cannot depend on itself");
    });
    serviceFaults(service, (key, message) => say(["services", i, ...key], message));
    if (service.mtd && readDuration(service.rto) + readDuration(service.wrt ?? "0 s") > readDuration(service.mtd))
      say(["services", i, "mtd"], `RTO ${service.rto} and WRT ${service.wrt ?? "0 s"} together pass the MTD of ${service.mtd}`);
  });
  raw.groups?.forEach((group, i) => {
    const elsewhere = new Set(raw.groups!.slice(0, i).flatMap((g) => g.machines));
    group.machines.forEach((machine, k) => {
      needs("machines", machine, ["groups", i, "machines", k]);
      if (elsewhere.has(machine)) say(["groups", i, "machines", k], `${machine} is in another group already; put the two groups together, for one instant holds for both`);
    });
  });
  landingFaults(raw, needs, say);
  raw.policies?.forEach((policy, i) => {
    if (readDuration(policy.every) < 60) say(["policies", i, "every"], "copies cannot be made more often than every minute");
    policy.machines.forEach((machine, k) => needs("machines", machine, ["policies", i, "machines", k]));
    const arrived = new Set<string>(["machine"]);
    policy.legs.forEach((leg, k) => {
      needs("stores", leg.to, ["policies", i, "legs", k, "to"]);
      if (leg.from !== "machine") needs("stores", leg.from, ["policies", i, "legs", k, "from"]);
      if (!arrived.has(leg.from)) say(["policies", i, "legs", k, "from"], `nothing arrives at ${leg.from} before this leg; put the leg that fills it first`);
      if (arrived.has(leg.to)) say(["policies", i, "legs", k, "to"], `${leg.to} is filled by an earlier leg already`);
      arrived.add(leg.to);
    });
  });
  raw.points?.forEach((point, i) => {
    needs("machines", point.machine, ["points", i, "machine"]);
    point.stores.forEach((store, k) => needs("stores", store, ["points", i, "stores", k]));
  });
  return faults;
}

/** A field that may be left out, and stays out then. */
const given = <K extends string>(key: K, value: string | undefined, read: (text: string) => number): { [P in K]?: number } => (value === undefined ? {} : ({ [key]: read(value) } as { [P in K]?: number }));

function toEstate(raw: RawEstate): Estate {
  const { assumptions: a, coordinator: c } = raw;
  return {
    organisation: raw.organisation,
    assumptions: { detection: readDuration(a.detection), decision: readDuration(a.decision), nameSwitch: readDuration(a.nameSwitch), message: readDuration(a.message), crew: a.crew },
    coordinator: { site: c.site, copy: c.copy, returns: { site: c.returns.site, seconds: readDuration(c.returns.within) } },
    sites: raw.sites,
    hazards: raw.hazards ?? [],
    links: (raw.links ?? []).map(({ backRate, ...l }) => ({
      ...l,
      rate: readRate(l.rate),
      ...given("backRate", backRate, readRate),
      limits: (l.limits ?? []).map((w) => ({ days: w.days, from: readClock(w.from), to: readClock(w.to), rate: readRate(w.rate) })),
    })),
    networks: raw.networks ?? [],
    platforms: (raw.platforms ?? []).map((p) => ({ ...p, can: p.can ?? [], converts: p.converts ?? [] })),
    hosts: raw.hosts.map((h) => ({ ...h, memory: readSize(h.memory), pool: readSize(h.pool), poolRate: readRate(h.poolRate) })),
    stores: raw.stores.map(({ quota, randomReadRate, retrieval, ...s }) => ({
      ...s,
      capacity: readSize(s.capacity),
      readRate: readRate(s.readRate),
      writeRate: readRate(s.writeRate),
      ...given("quota", quota, readSize),
      ...given("randomReadRate", randomReadRate, readRate),
      ...given("retrieval", retrieval, readDuration),
    })),
    keys: raw.keys ?? [],
    machines: raw.machines.map((m) => ({
      ...m,
      name: m.name ?? m.id,
      memory: readSize(m.memory),
      disks: m.disks.map((d) => ({ id: d.id, size: readSize(d.size), used: readSize(d.used) })),
      // Change is stated by the hour: rates are read as bytes per second.
      change: { hot: readSize(m.change.hot), written: readRate(m.change.written) * 3600, grown: readRate(m.change.grown) * 3600 },
      prepare: readDuration(m.prepare),
      boot: readDuration(m.boot),
    })),
    services: raw.services.map(({ check, ...s }) => ({
      ...s,
      rto: readDuration(s.rto),
      rpo: readDuration(s.rpo),
      mtd: s.mtd ? readDuration(s.mtd) : null,
      wrt: s.wrt ? readDuration(s.wrt) : 0,
      dependsOn: s.dependsOn ?? [],
      checks: (s.checks ?? [check!]).map(({ takes, ...c }) => ({ ...c, seconds: readDuration(takes) })),
      impact: (s.impact ?? []).map((m) => ({ ...m, after: readDuration(m.after) })),
      hours: (s.hours ?? []).map((h) => ({ days: h.days, from: readClock(h.from), to: readClock(h.to) })),
      contacts: s.contacts ?? [],
    })),
    groups: (raw.groups ?? []).map((g) => ({ ...g, within: readDuration(g.within) })),
    policies: (raw.policies ?? []).map((p) => ({ ...p, every: readDuration(p.every) })),
    landings: (raw.landings ?? []).map((l) => ({ ...l, networks: l.networks ?? [], media: l.media ?? [] })),
  };
}

function toFacts(points: NonNullable<RawEstate["points"]>, estate: Estate): CopyFact[] {
  const machines = new Map(estate.machines.map((m) => [m.id, m]));
  return points.flatMap((p) => {
    const capturedAt = Date.parse(p.capturedAt);
    return p.stores.map((store) => ({ point: `${p.machine}@${p.capturedAt}`, machine: p.machine, capturedAt, store, arrivedAt: capturedAt, state: "whole" as const, dataBytes: usedBytes(machines.get(p.machine)!) }));
  });
}
