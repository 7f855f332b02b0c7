import equal from "fast-deep-equal";
import type { Estate } from "./model.ts";

/** Kinds of estate items that are lists, and those that stand alone. */
export const LIST_KINDS = ["sites", "hazards", "links", "networks", "platforms", "hosts", "stores", "keys", "machines", "services", "groups", "policies", "landings"] as const satisfies readonly (keyof Estate)[];
export const SINGLE_KINDS = ["assumptions", "coordinator"] as const satisfies readonly (keyof Estate)[];
export type ItemKind = (typeof LIST_KINDS)[number] | (typeof SINGLE_KINDS)[number] | "organisation";

/** One item that differs; `fields` are those of a changed one, by path. */
export type ItemDifference = { kind: ItemKind; id: string; change: "appears" | "goes" | "changes"; fields: { path: string; before: unknown; after: unknown }[] };

/** What has to happen for one estate to become the other, in the order of the kinds. */
export function difference(before: Estate, after: Estate): ItemDifference[] {
  const all: ItemDifference[] = [];
  const changed = (kind: ItemKind, id: string, a: unknown, b: unknown): void => {
    const fields = fieldsThatDiffer(a, b);
    if (fields.length > 0) all.push({ kind, id, change: "changes", fields });
  };
  changed("organisation", after.organisation.id, before.organisation, after.organisation);
  for (const kind of SINGLE_KINDS) changed(kind, kind, before[kind], after[kind]);
  for (const kind of LIST_KINDS) {
    const had = new Map<string, unknown>(before[kind].map((item) => [item.id, item]));
    for (const item of after[kind]) {
      const old = had.get(item.id);
      had.delete(item.id);
      if (old === undefined) all.push({ kind, id: item.id, change: "appears", fields: [] });
      else changed(kind, item.id, old, item);
    }
    for (const id of had.keys()) all.push({ kind, id, change: "goes", fields: [] });
  }
  return all;
}

/** Fields of one item that differ, by path; whole values where either is no record. */
export function fieldsThatDiffer(a: unknown, b: unknown, path = ""): { path: string; before: unknown; after: unknown }[] {
  if (equal(a, b)) return [];
  if (!isRecord(a) || !isRecord(b)) return [{ path, before: a ?? null, after: b ?? null }];
  return [...new Set([...Object.keys(a), ...Object.keys(b)])].flatMap((key) => fieldsThatDiffer(a[key], b[key], path ? `${path}.${key}` : key));
}

const isRecord = (value: unknown): value is Record<string, unknown> => value !== null && typeof value === "object" && !Array.isArray(value);

/** The first estate with every item of the second put in place or added; nothing goes. */
export function merged(base: Estate, more: Estate): Estate {
  const out: Record<string, unknown> = { ...base, organisation: more.organisation };
  for (const kind of SINGLE_KINDS) out[kind] = more[kind];
  for (const kind of LIST_KINDS) {
    const fresh = new Map<string, unknown>(more[kind].map((item) => [item.id, item]));
    const kept = base[kind].map((item) => {
      const other = fresh.get(item.id);
      fresh.delete(item.id);
      return other ?? item;
    });
    out[kind] = [...kept, ...fresh.values()];
  }
  return out as Estate;
}
