import type { ItemDifference } from "#core/estate/difference.ts";
import { valueWords } from "#core/wording/value-words.ts";

const CHANGES = { appears: "came", goes: "went", changes: "changed" } as const;

/** One item that changed, and from what to what. */
export function ItemChange({ kind, id, change, fields }: Pick<ItemDifference, "change" | "fields"> & { kind: string; id: string }) {
  return (
    <li>
      <span className="text-soft">{kind} </span>
      <span className="figures">{id}</span> <span className={change === "goes" ? "text-late" : "text-soft"}>{CHANGES[change]}</span>
      <ChangedFields fields={fields} />
    </li>
  );
}

export const ChangedFields = ({ fields }: Pick<ItemDifference, "fields">) => (
  <>
    {fields.map((f) => (
      <span key={f.path} className="block pl-4 break-words text-soft">
        {f.path}: <s>{valueWords(f.path, f.before)}</s> → {valueWords(f.path, f.after)}
      </span>
    ))}
  </>
);
