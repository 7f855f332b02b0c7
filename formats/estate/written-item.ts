import { stringify } from "yaml";
import type { LIST_KINDS } from "#core/estate/difference.ts";
import type { Estate } from "#core/estate/model.ts";
import type { RawEstate } from "./raw-estate.ts";
import { EstateFileError, estateFromRaw } from "./read-estate.ts";
import { toRaw } from "./write-estate.ts";
import { readYaml } from "./yaml-text.ts";

export type WrittenKind = (typeof LIST_KINDS)[number];
type Item = { id: string };
const itemsOf = (raw: RawEstate, kind: WrittenKind): Item[] => (raw[kind] ?? []) as Item[];

/** One item as an estate file writes it; null where there is none of this id. */
export function writtenItem(estate: Estate, kind: WrittenKind, id: string): string | null {
  const item = itemsOf(toRaw(estate), kind).find((i) => i.id === id);
  return item ? stringify(item, { lineWidth: 100 }) : null;
}

/**
 * The estate with one item as it is written in place of the one of that id; a new one where `id` is
 * null. Throws `EstateFileError` for what cannot be read or cannot stand; lines are those of the text.
 */
export function withWrittenItem(estate: Estate, kind: WrittenKind, id: string | null, text: string): { estate: Estate; id: string } {
  const { contents, errors } = readYaml(text);
  if (errors.length > 0) throw new EstateFileError(errors.map((e) => ({ path: "/", ...e })));
  const written = (contents as { id?: unknown } | null)?.id;
  const fail = (message: string): never => {
    throw new EstateFileError([{ path: "/id", line: 1, message }]);
  };
  if (typeof written !== "string") return fail("id is missing: an item is written as in an estate file, beginning with its id");
  if (id !== null && written !== id) return fail(`${written} is another id than ${id}: others refer to it by that; take it out and write a new one instead`);
  const raw = toRaw(estate);
  const items = itemsOf(raw, kind);
  if (id === null && items.some((i) => i.id === written)) return fail(`${written} is there already; take another id`);
  const next = id === null ? [...items, contents as Item] : items.map((i) => (i.id === id ? (contents as Item) : i));
  return { estate: estateFromRaw({ ...raw, [kind]: next }).estate, id: written };
}

/** The estate without one item. Throws `EstateFileError` where others refer to it. */
export function withoutItem(estate: Estate, kind: WrittenKind, id: string): Estate {
  const raw = toRaw(estate);
  return estateFromRaw({ ...raw, [kind]: itemsOf(raw, kind).filter((i) => i.id !== id) }).estate;
}
