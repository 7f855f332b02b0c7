import { useEffect, useState } from "react";
import { useFetcher } from "react-router";
import { countWords } from "#core/wording/amounts.ts";
import { EDITABLE, type EditableKind } from "#formats/estate/editable.ts";
import { Button } from "../../ui/button.tsx";
import { Dialog } from "../../ui/dialog.tsx";
import { Field } from "../../ui/field.tsx";
import { Notice } from "../../ui/notice.tsx";
import { Pick } from "../../ui/pick.tsx";
import type { EstateResult } from "./actions.ts";

type Chosen = { kind: EditableKind; ids: readonly string[]; base: number };

/** Sets one field of all chosen rows; the newest change can be undone on the page. */
export function ChangeMany({ chosen, open, onOpenChange, onDone }: { chosen: Chosen; open: boolean; onOpenChange: (open: boolean) => void; onDone: (words: string) => void }) {
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title={`Change ${countWords(chosen.ids.length, "row")}`}
      about="One field of all of them, or of none where it cannot stand. It can be undone as long as nothing else has changed."
    >
      <ChangeForm
        {...chosen}
        onDone={(words) => {
          onOpenChange(false);
          onDone(words);
        }}
      />
    </Dialog>
  );
}

function ChangeForm({ kind, ids, base, onDone }: Chosen & { onDone: (words: string) => void }) {
  const fetcher = useFetcher<EstateResult>();
  const [value, setValue] = useState("");
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  useEffect(() => {
    if (result && "done" in result) onDone(result.done);
    // Once for each reply.
  }, [result]);
  const errors = (result && "error" in result && result.reply?.error) || {};
  return (
    <fetcher.Form method="post" action="/estate" encType="multipart/form-data" className="space-y-3" noValidate>
      <input type="hidden" name="act" value="change-many" />
      <input type="hidden" name="kind" value={kind} />
      <input type="hidden" name="base" value={base} />
      <input type="hidden" name="ids" value={ids.join(" ")} />
      <p className="figures max-h-20 overflow-auto text-sm text-soft">
        {ids.slice(0, 40).join(", ")}
        {ids.length > 40 && ` and ${ids.length - 40} more`}
      </p>
      <Pick id="many-field" name="field" label="What shall change" options={EDITABLE[kind].map((f) => ({ id: f.path, name: f.words }))} errors={errors["field"] ?? undefined} />
      <Field
        id="many-value"
        name="value"
        label="To"
        hint="With its unit, as in the estate file: 16 GiB, 45 min, 2 Gbit/s. Empty leaves a field out that may be left out."
        value={value}
        onChange={(e) => setValue(e.target.value)}
        errors={errors["value"] ?? undefined}
        autoComplete="off"
      />
      <Field id="many-reason" name="reason" label="Why" errors={errors["reason"] ?? undefined} autoComplete="off" required />
      {result && "error" in result && !result.reply && <Notice kind="wrong">{result.error}</Notice>}
      <Button kind="act" type="submit" disabled={fetcher.state !== "idle"}>
        Change {countWords(ids.length, "row")}
      </Button>
    </fetcher.Form>
  );
}
