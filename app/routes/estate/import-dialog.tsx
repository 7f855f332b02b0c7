import { useEffect, useRef, useState } from "react";
import { useFetcher } from "react-router";
import type { ItemDifference } from "#core/estate/difference.ts";
import { countWords, listWords } from "#core/wording/amounts.ts";
import { Button } from "../../ui/button.tsx";
import { Choice } from "../../ui/choice.tsx";
import { Dialog } from "../../ui/dialog.tsx";
import { Field } from "../../ui/field.tsx";
import { Notice } from "../../ui/notice.tsx";
import type { EstateResult } from "./actions.ts";

/** Brings an estate file in: chosen, compared with what there is, and taken in only when that was accepted. */
export function ImportDialog({ open, onOpenChange, onDone }: { open: boolean; onOpenChange: (open: boolean) => void; onDone: (words: string) => void }) {
  const fetcher = useFetcher<EstateResult>();
  const form = useRef<HTMLFormElement>(null);
  const [shown, setShown] = useState<Extract<EstateResult, { preview: unknown }>["preview"] | null>(null);
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  useEffect(() => {
    if (result && "preview" in result) setShown(result.preview);
    if (result && "done" in result) {
      setShown(null);
      onOpenChange(false);
      onDone(result.done);
    }
    // Once for each reply.
  }, [result]);
  const busy = fetcher.state !== "idle";
  const send = (act: "preview" | "accept"): void => {
    const data = new FormData(form.current!);
    data.set("act", act);
    if (shown) data.set("base", shown.base);
    void fetcher.submit(data, { method: "post", action: "/estate", encType: "multipart/form-data" });
  };
  const forget = (): void => setShown(null);
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Bring in"
      about="An estate file, YAML or JSON in the open estate format. First you see what it would change; nothing is taken in before you accept."
    >
      <form ref={form} className="space-y-3" onSubmit={(e) => (e.preventDefault(), send(shown ? "accept" : "preview"))} noValidate>
        <div>
          <label htmlFor="estate-file" className="block text-sm font-semibold">
            Estate file
          </label>
          <input id="estate-file" name="file" type="file" accept=".yaml,.yml,.json,application/yaml,application/json" onChange={forget} className="mt-1 w-full text-sm" />
        </div>
        <fieldset onChange={forget}>
          <legend className="text-sm font-semibold">What is not in the file</legend>
          <Choice type="radio" name="mode" value="merge" defaultChecked>
            stays (merge)
          </Choice>
          <Choice type="radio" name="mode" value="replace">
            goes (replace the whole estate)
          </Choice>
        </fieldset>
        {result && "faults" in result && (
          <div role="alert" className="text-sm text-late">
            <p>The file cannot be used; nothing was taken in.</p>
            <ul className="mt-1 list-disc pl-5">
              {result.faults.map((f, i) => (
                <li key={i}>
                  line {f.line}, <span className="figures">{f.path}</span>: {f.message}
                </li>
              ))}
            </ul>
          </div>
        )}
        {result && "error" in result && <Notice kind="wrong">{result.error}</Notice>}
        {shown && <Difference preview={shown} />}
        {shown && shown.total > 0 && <Field id="import-reason" name="reason" label="Why" autoComplete="off" required />}
        {shown ? (
          <Button kind="act" type="submit" disabled={busy || shown.total === 0}>
            Accept {countWords(shown.total, "change")}
          </Button>
        ) : (
          <Button kind="act" type="submit" disabled={busy}>
            Show what it would change
          </Button>
        )}
      </form>
    </Dialog>
  );
}

const CHANGE = { appears: "appear", goes: "go", changes: "change" } as const;

function Difference({ preview }: { preview: Extract<EstateResult, { preview: unknown }>["preview"] }) {
  if (preview.total === 0) return <Notice kind="know">The file says what the estate says already.</Notice>;
  return (
    <section aria-label="What it would change" className="text-sm">
      {(["appears", "changes", "goes"] as const).map((change) => {
        const some = preview.differences.filter((d) => d.change === change);
        if (some.length === 0) return null;
        return (
          <details key={change} open={some.length < 12} className="border-b border-line py-1">
            <summary className={`cursor-pointer font-semibold ${change === "goes" ? "text-late" : ""}`}>
              {countWords(some.length, "item")} {some.length === 1 ? change : CHANGE[change]}
            </summary>
            <ul className="pl-4">
              {some.map((d) => (
                <li key={`${d.kind}/${d.id}`}>
                  <span className="text-soft">{d.kind} </span>
                  <span className="figures">{d.id}</span>
                  {d.fields.map((f) => (
                    <span key={f.path} className="block pl-4 text-soft">
                      {f.path}: <s>{valueWords(f.before)}</s> → {valueWords(f.after)}
                    </span>
                  ))}
                </li>
              ))}
            </ul>
          </details>
        );
      })}
      {preview.total > preview.differences.length && (
        <p className="text-soft">
          The first {preview.differences.length} of {preview.total} are shown.
        </p>
      )}
      {preview.pointsOfGoing.length > 0 && (
        <Notice kind="know">
          Points of machines that go stay in their stores: {listWords(preview.pointsOfGoing.map((p) => `${countWords(p.points, "point")} of ${p.machine}`))}.
        </Notice>
      )}
    </section>
  );
}

const valueWords = (value: ItemDifference["fields"][number]["before"]): string => (value === null ? "nothing" : typeof value === "object" ? JSON.stringify(value) : String(value));
