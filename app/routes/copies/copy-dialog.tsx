import { useState } from "react";
import { countWords, durationWords, sizeWords } from "#core/wording/amounts.ts";
import { Button } from "../../ui/button.tsx";
import { Choice } from "../../ui/choice.tsx";
import { Dialog } from "../../ui/dialog.tsx";
import { Field } from "../../ui/field.tsx";
import { Notice } from "../../ui/notice.tsx";
import { useSchemaForm } from "../../ui/use-schema-form.ts";
import { copyNowForm } from "./forms.ts";
import type { CopiesView } from "./copies-view.ts";

/** Copies machines of a policy now: what, from where to where, how much it is likely to be, and why. */
export function CopyDialog({
  open,
  onOpenChange,
  policy,
  onAsked,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  onAsked: (words: string) => void;
  policy: CopiesView["policies"][number];
}) {
  const { Form, form, fields, busy, error } = useSchemaForm(copyNowForm, (words) => {
    onOpenChange(false);
    onAsked(words);
  });
  const [chosen, setChosen] = useState(() => new Set(policy.machines.map((m) => m.id)));
  // Of a large policy all machines are copied: they could not be chosen among here.
  const whole = policy.machines.length < policy.count;
  const bytes = whole ? policy.bytes : policy.machines.filter((m) => chosen.has(m.id)).reduce((sum, m) => sum + m.bytes, 0);
  const count = whole ? policy.count : chosen.size;
  const slowest = Math.max(...policy.legs.map((l) => l.lastSeconds ?? l.projectedSeconds ?? 0));
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title="Copy now" about={`${policy.name}: from the machines to ${policy.legs.map((l) => l.name).join(", ")}.`}>
      <Form method="post" action="/copies" className="space-y-3" id={form.id} onSubmit={form.onSubmit} noValidate>
        <input type="hidden" name="act" value="copy-now" />
        <input type="hidden" name="policy" value={policy.id} />
        {whole && <input type="hidden" name="machines" value="*" />}
        <fieldset hidden={whole}>
          <legend className="flex w-full items-baseline justify-between text-sm font-semibold">
            Machines
            <button
              type="button"
              className="plain-link ml-3 font-normal"
              onClick={() => setChosen(new Set(chosen.size === policy.machines.length ? [] : policy.machines.map((m) => m.id)))}
            >
              {chosen.size === policy.machines.length ? "none" : "all"}
            </button>
          </legend>
          <div className="mt-1 grid grid-cols-2 gap-x-4">
            {policy.machines.map((m) => (
              <Choice
                key={m.id}
                type="checkbox"
                name="machines"
                value={m.id}
                checked={chosen.has(m.id)}
                onChange={(e) => setChosen(new Set(e.target.checked ? [...chosen, m.id] : [...chosen].filter((id) => id !== m.id)))}
                className="figures"
                aside={`~${sizeWords(m.bytes)}`}
              >
                {m.name}
              </Choice>
            ))}
          </div>
          {fields["machines"]!.errors && <p className="text-sm text-late">{fields["machines"]!.errors.join(" ")}</p>}
        </fieldset>
        <p className="text-sm text-soft">
          By the estate's change rates about {sizeWords(bytes)} have changed since the last copies; only changed blocks move. The last round was everywhere after{" "}
          {durationWords(slowest)}. The first store is the only one that reads production.
        </p>
        <Field id="copy-reason" name="reason" label="Why" autoComplete="off" data-first="" errors={fields["reason"]!.errors} required />
        {error && <Notice kind="wrong">{error}</Notice>}
        <Button kind="act" type="submit" disabled={busy}>
          Copy {countWords(count, "machine")}
        </Button>
      </Form>
    </Dialog>
  );
}
