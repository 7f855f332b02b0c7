import type { Estate } from "#core/estate/model.ts";
import { type WrittenKind, writtenItem } from "#formats/estate/written-item.ts";
import { NEW_ITEM } from "./new-item.ts";
import type { Written } from "./written-inspector.tsx";

/** The item that is looked at as it is written; a new one begins like the last of its kind. Null where there is none. */
export function writtenView(estate: Estate, kind: WrittenKind, one: string, chosen: string): Written | null {
  if (chosen !== NEW_ITEM) {
    const text = writtenItem(estate, kind, chosen);
    return text === null ? null : { kind, one, id: chosen, text };
  }
  const last = estate[kind].at(-1);
  return { kind, one, id: null, text: last ? writtenItem(estate, kind, last.id)!.replace(/^id: .*$/m, "id: ") : "id: \n" };
}
