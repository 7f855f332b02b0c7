import { type Document, isMap, isScalar, isSeq, stringify, type YAMLMap, type YAMLSeq } from "yaml";
import type { Estate } from "#core/estate/model.ts";
import { readQuantity, writeClock, writeDuration, writeRate, writeSize } from "./quantities.ts";
import { rewrittenYaml, yamlToEdit } from "./yaml-text.ts";
import type { RawEstate } from "./raw-estate.ts";

/** An estate as a file says it; `readEstate` of it gives the same estate again. */
export function toRaw(estate: Estate): RawEstate {
  const { assumptions: a, coordinator: c } = estate;
  const some = <T>(list: T[]): T[] | undefined => (list.length > 0 ? list : undefined);
  return withoutGaps({
    format: 1,
    organisation: estate.organisation,
    assumptions: { detection: writeDuration(a.detection), decision: writeDuration(a.decision), nameSwitch: writeDuration(a.nameSwitch), message: writeDuration(a.message), crew: a.crew },
    coordinator: { site: c.site, copy: c.copy, returns: { site: c.returns.site, within: writeDuration(c.returns.seconds) } },
    sites: estate.sites,
    hazards: some(estate.hazards),
    links: some(
      estate.links.map((l) => ({
        ...l,
        rate: writeRate(l.rate),
        backRate: optional(l.backRate, writeRate),
        limits: some(l.limits.map((w) => ({ days: w.days, from: writeClock(w.from), to: writeClock(w.to), rate: writeRate(w.rate) }))),
      })),
    ),
    networks: some(estate.networks),
    platforms: some(estate.platforms.map((p) => ({ ...p, can: some(p.can), converts: some(p.converts) }))),
    hosts: estate.hosts.map((h) => ({ ...h, memory: writeSize(h.memory), pool: writeSize(h.pool), poolRate: writeRate(h.poolRate) })),
    stores: estate.stores.map((s) => ({
      ...s,
      capacity: writeSize(s.capacity),
      quota: optional(s.quota, writeSize),
      readRate: writeRate(s.readRate),
      writeRate: writeRate(s.writeRate),
      randomReadRate: optional(s.randomReadRate, writeRate),
      retrieval: optional(s.retrieval, writeDuration),
    })),
    keys: some(estate.keys),
    machines: estate.machines.map((m) => ({
      ...m,
      name: m.name === m.id ? undefined : m.name,
      memory: writeSize(m.memory),
      disks: m.disks.map((d) => ({ id: d.id, size: writeSize(d.size), used: writeSize(d.used) })),
      change: { hot: writeSize(m.change.hot), written: writeRate(m.change.written / 3_600), grown: writeRate(m.change.grown / 3_600) },
      prepare: writeDuration(m.prepare),
      boot: writeDuration(m.boot),
    })),
    services: estate.services.map((s) => ({
      ...s,
      rto: writeDuration(s.rto),
      rpo: writeDuration(s.rpo),
      mtd: s.mtd === null ? undefined : writeDuration(s.mtd),
      wrt: s.wrt === 0 ? undefined : writeDuration(s.wrt),
      dependsOn: some(s.dependsOn),
      checks: s.checks.map(({ seconds, ...check }) => ({ ...check, takes: writeDuration(seconds) })),
      impact: some(s.impact.map((i) => ({ ...i, after: writeDuration(i.after) }))),
      hours: some(s.hours.map((h) => ({ days: h.days, from: writeClock(h.from), to: writeClock(h.to) }))),
      contacts: some(s.contacts),
    })),
    groups: some(estate.groups.map((g) => ({ ...g, within: writeDuration(g.within) }))),
    policies: some(estate.policies.map((p) => ({ ...p, every: writeDuration(p.every) }))),
    landings: some(estate.landings.map((l) => ({ ...l, networks: some(l.networks), media: some(l.media) }))),
  }) as RawEstate;
}

const optional = (value: number | undefined, write: (n: number) => string): string | undefined => (value === undefined ? undefined : write(value));
const withoutGaps = (value: unknown): unknown => JSON.parse(JSON.stringify(value));

export const writeEstateJson = (estate: Estate): string => `${JSON.stringify(toRaw(estate), null, 2)}\n`;
export const writeEstateYaml = (estate: Estate): string => stringify(toRaw(estate), { lineWidth: 160 });

/**
 * The given file with its contents brought to the estate: what has not changed stays as it was
 * written, with its comments, its order and its way of writing quantities. `text` must have been
 * read by `readEstate` before.
 */
export function updateEstateYaml(text: string, estate: Estate): string {
  const document = yamlToEdit(text);
  const wanted = toRaw(estate) as unknown as Record<string, unknown>;
  const points = (document.toJS() as { points?: unknown }).points;
  updateMap(document, document.contents as YAMLMap, points === undefined ? wanted : { ...wanted, points });
  return rewrittenYaml(document);
}

/** What a value means: two writings of one quantity mean the same. */
const means = (value: unknown): string => {
  const quantity = typeof value === "string" ? readQuantity(value) : undefined;
  return JSON.stringify(quantity ?? value);
};

/** Whether what is written there is what holds when nothing is written. */
const isUsual = (key: string, value: unknown, map: YAMLMap): boolean =>
  (key === "name" && value === map.get("id")) || (key === "wrt" && means(value) === means("0 s")) || (["dependsOn", "limits", "links", "policies", "hazards", "networks", "platforms", "keys", "can", "converts", "impact", "hours", "contacts", "groups", "landings", "media"].includes(key) && Array.isArray(value) && value.length === 0);

function updateMap(document: Document, map: YAMLMap, wanted: Record<string, unknown>): void {
  for (const pair of [...map.items]) {
    const key = String(isScalar(pair.key) ? pair.key.value : pair.key);
    if (!(key in wanted) && !isUsual(key, plain(pair.value), map)) map.delete(key);
  }
  for (const [key, value] of Object.entries(wanted)) {
    const node = map.get(key, true);
    if (isMap(node) && value !== null && typeof value === "object" && !Array.isArray(value)) updateMap(document, node, value as Record<string, unknown>);
    else if (isSeq(node) && Array.isArray(value)) updateSeq(document, node, value);
    else if (isScalar(node)) {
      if (means(node.value) !== means(value)) node.value = value;
    } else map.set(document.createNode(key), document.createNode(value));
  }
}

/** Items with an id keep their node wherever they have moved; others are compared by their place. */
function updateSeq(document: Document, seq: YAMLSeq, wanted: readonly unknown[]): void {
  const idOf = (value: unknown): unknown => (value as { id?: unknown } | null)?.id;
  const byId = new Map(seq.items.flatMap((node) => (isMap(node) && node.get("id") !== undefined ? [[node.get("id"), node] as const] : [])));
  const flow = seq.items.some((item) => isMap(item) && item.flow === true);
  seq.items = wanted.map((value, i) => {
    const old = idOf(value) === undefined ? seq.items[i] : byId.get(idOf(value));
    if (isMap(old) && value !== null && typeof value === "object") {
      updateMap(document, old, value as Record<string, unknown>);
      return old;
    }
    if (isScalar(old) && means(old.value) === means(value)) return old;
    const fresh = document.createNode(value);
    if (isMap(fresh)) fresh.flow = flow;
    return fresh;
  });
}

const plain = (node: unknown): unknown => (isScalar(node) ? node.value : isSeq(node) ? node.items : node);
