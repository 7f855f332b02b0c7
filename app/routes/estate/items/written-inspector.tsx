import { useEffect, useState } from "react";
import { Link, useFetcher } from "react-router";
import { useQuestionSearch } from "../../../frame/question-link.ts";
import { useMayAct } from "../../../frame/who.ts";
import { Button } from "../../../ui/button.tsx";
import { Field } from "../../../ui/field.tsx";
import { FieldErrors } from "../../../ui/field-errors.tsx";
import type { FormResult } from "../../../ui/form-result.ts";
import { InspectorHead } from "../../../ui/inspector-head.tsx";
import { Notice } from "../../../ui/notice.tsx";

export type Written = { kind: string; one: string; id: string | null; text: string };

const WRITING = "written-item";

/** Tells what was done to an item, also once it is gone and its inspector with it. */
export function useWrittenDone(onDone: (words: string) => void): void {
  const { data, state } = useFetcher<FormResult>({ key: WRITING });
  useEffect(() => {
    if (state === "idle" && data && "done" in data) onDone(data.done);
    // Once for each reply.
  }, [data, state]);
}

/** One item as an estate file writes it, to be changed, added or taken out where it stands. */
export function WrittenInspector({ written, base, closeTo }: { written: Written; base: number; closeTo: string }) {
  const fetcher = useFetcher<FormResult>({ key: WRITING });
  const mayAct = useMayAct();
  const search = useQuestionSearch();
  const [text, setText] = useState(written.text);
  const { id, kind, one } = written;
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  // What others have changed meanwhile is shown, unless something has been typed here.
  useEffect(() => setText(written.text), [written.text]);
  const errors = (result && "error" in result && result.reply?.error) || {};
  return (
    <div className="text-sm">
      <InspectorHead name={id ?? `A new ${one}`} closeTo={closeTo} figures={id !== null} />
      <p className="text-soft">As an estate file writes it. It is held against everything else before it is taken.</p>
      <fetcher.Form method="post" action="/estate/items" className="mt-2 space-y-2" noValidate>
        <input type="hidden" name="kind" value={kind} />
        <input type="hidden" name="id" value={id ?? ""} />
        <input type="hidden" name="base" value={base} />
        <label htmlFor="written" className="sr-only">
          The {one} as it is written
        </label>
        <textarea
          id="written"
          name="text"
          value={text}
          onChange={(e) => setText(e.target.value)}
          readOnly={!mayAct}
          rows={Math.min(24, Math.max(6, text.split("\n").length + 1))}
          spellCheck={false}
          aria-invalid={errors["text"] ? true : undefined}
          className="figures w-full rounded-[3px] border border-line-strong bg-raised px-2 py-1 text-xs"
        />
        <FieldErrors id="written" errors={errors["text"] ?? undefined} />
        {mayAct && (
          <>
            <Field id="written-reason" name="reason" label="Why" errors={errors["reason"] ?? undefined} autoComplete="off" required />
            <div className="flex gap-2">
              <Button kind="act" type="submit" name="act" value="write" disabled={fetcher.state !== "idle" || text === written.text}>
                {id === null ? "Add it" : "Take it as written"}
              </Button>
              {id !== null && (
                <Button kind="grave" type="submit" name="act" value="take-out" disabled={fetcher.state !== "idle"}>
                  Take out
                </Button>
              )}
            </div>
          </>
        )}
        {result && "error" in result && !result.reply && <Notice kind="wrong">{result.error}</Notice>}
      </fetcher.Form>
      {id !== null && (
        <p className="mt-3">
          <Link className="plain-link" to={`/estate/changes${search({ of: `${kind}/${id}` })}`}>
            What changed of it
          </Link>
        </p>
      )}
    </div>
  );
}
