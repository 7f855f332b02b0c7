import { useEffect, useRef, useState } from "react";
import { useFetcher } from "react-router";
import { countWords, listWords } from "#core/wording/amounts.ts";
import { COLUMNS, TABLE_KINDS, type TableKind } from "#formats/table/columns.ts";
import { Button } from "../../ui/button.tsx";
import { Choice } from "../../ui/choice.tsx";
import { Dialog } from "../../ui/dialog.tsx";
import { Field } from "../../ui/field.tsx";
import { Notice } from "../../ui/notice.tsx";
import type { EstateResult } from "./actions.ts";
import { Difference, type Preview } from "./difference-list.tsx";

const WHAT = [
  ["estate", "an estate, YAML or JSON"],
  ["machines", "machines, CSV"],
  ["services", "services, CSV"],
  ["sites", "sites and their places, GeoJSON"],
  ["dependencies", "dependencies of services, CSV"],
  ["graph", "dependencies of services, GraphML or DOT"],
  ["flows", "observed connections, CSV"],
  ["ovf", "machines, OVF descriptor or OVA archive"],
] as const;
type What = (typeof WHAT)[number][0];
const isTable = (what: What): what is TableKind => (TABLE_KINDS as readonly string[]).includes(what);

type Asked = { hosts: readonly { id: string; name: string }[]; onDone: (words: string) => void };

/** Brings a file in: chosen, compared with what there is, and taken in only when that was accepted. */
export function ImportDialog({ open, onOpenChange, onDone, hosts }: Asked & { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title="Bring in" about="First you see what the file would change; nothing is taken in before you accept.">
      <ImportForm
        hosts={hosts}
        onDone={(words) => {
          onOpenChange(false);
          onDone(words);
        }}
      />
    </Dialog>
  );
}

/** Begins anew each time the dialog is opened, for the chosen file does not outlast it. */
function ImportForm({ hosts, onDone }: Asked) {
  const fetcher = useFetcher<EstateResult>();
  const form = useRef<HTMLFormElement>(null);
  const [what, setWhat] = useState<What>("estate");
  const [shown, setShown] = useState<Preview | null>(null);
  const [result, setResult] = useState<EstateResult | null>(null);
  const [stale, setStale] = useState(false);
  const { data, state } = fetcher;
  useEffect(() => {
    if (state !== "idle" || !data) return;
    setResult(data);
    setStale(false);
    if ("preview" in data) setShown(data.preview);
    // What was shown holds as long as only the reason was wanting; otherwise it has to be looked at again.
    else if (!("reply" in data)) setShown(null);
    if ("done" in data) onDone(data.done);
    // Once for each reply.
  }, [data, state]);
  const busy = state !== "idle";
  const ready = shown !== null && !stale && (shown.table?.faults.length ?? 0) === 0;
  // Only the reason can be wanting in what was shown already.
  const wanting = ready && result && "reply" in result ? [result.error] : undefined;
  const send = (): void => {
    const asked = new FormData(form.current!);
    asked.set("act", ready ? "accept" : "preview");
    if (shown) asked.set("base", String(shown.base));
    void fetcher.submit(asked, { method: "post", action: "/estate", encType: "multipart/form-data" });
  };
  const forget = (): void => {
    setShown(null);
    setResult(null);
  };
  return (
    <form ref={form} className="space-y-3" onSubmit={(e) => (e.preventDefault(), send())} noValidate>
      <div>
        <label htmlFor="incoming" className="block text-sm font-semibold">
          File
        </label>
        <input
          id="incoming"
          name="file"
          type="file"
          accept=".yaml,.yml,.json,.geojson,.graphml,.dot,.gv,.ovf,.ova,.csv,.tsv,.txt"
          onChange={forget}
          className="mt-1 w-full text-sm file:mr-3 file:rounded-[3px] file:border file:border-solid file:border-line-strong file:bg-raised file:px-3 file:py-1 file:text-ink"
        />
      </div>
      <div>
        <label htmlFor="incoming-what" className="block text-sm font-semibold">
          What it holds
        </label>
        <select
          id="incoming-what"
          name="what"
          value={what}
          onChange={(e) => (setWhat(e.target.value as What), forget())}
          className="mt-1 rounded-[3px] border border-line-strong bg-raised px-2 py-1 text-sm"
        >
          {WHAT.map(([id, words]) => (
            <option key={id} value={id}>
              {words}
            </option>
          ))}
        </select>
      </div>
      {what === "estate" && (
        <fieldset onChange={forget}>
          <legend className="text-sm font-semibold">What is not in the file</legend>
          <Choice type="radio" name="mode" value="merge" defaultChecked>
            stays (merge)
          </Choice>
          <Choice type="radio" name="mode" value="replace">
            goes (replace the whole estate)
          </Choice>
        </fieldset>
      )}
      {what === "ovf" && (
        <div>
          <label htmlFor="incoming-host" className="block text-sm font-semibold">
            Host they run on
          </label>
          <select id="incoming-host" name="host" onChange={forget} className="mt-1 rounded-[3px] border border-line-strong bg-raised px-2 py-1 text-sm">
            {hosts.map((h) => (
              <option key={h.id} value={h.id}>
                {h.name}
              </option>
            ))}
          </select>
        </div>
      )}
      {result && "faults" in result && <Faults faults={result.faults} />}
      {result && "error" in result && !wanting && <Notice kind="wrong">{result.error}</Notice>}
      {shown?.table && isTable(what) && <Mapping kind={what} table={shown.table} onChange={() => setStale(true)} />}
      {shown?.table && shown.table.faults.length > 0 && !stale && <Faults faults={shown.table.faults.map((f) => ({ line: f.line, where: f.column ?? "", message: f.message }))} />}
      {ready &&
        shown.notes.map((words) => (
          <Notice key={words} kind="know">
            {words}
          </Notice>
        ))}
      {ready && <Difference preview={shown} />}
      {ready && shown.total > 0 && <Field id="import-reason" name="reason" label="Why" autoComplete="off" autoFocus errors={wanting} required />}
      {ready ? (
        <Button kind="act" type="submit" disabled={busy || shown.total === 0}>
          Accept {countWords(shown.total, "change")}
        </Button>
      ) : (
        <Button kind="act" type="submit" disabled={busy}>
          Show what it would change
        </Button>
      )}
    </form>
  );
}

function Faults({ faults }: { faults: readonly { line: number; where: string; message: string }[] }) {
  return (
    <div role="alert" className="text-sm text-late">
      <p>The file cannot be used; nothing was taken in.</p>
      <ul className="mt-1 list-disc pl-5">
        {faults.slice(0, 20).map((f, i) => (
          <li key={i}>
            line {f.line}
            {f.where && (
              <>
                , <span className="figures">{f.where}</span>
              </>
            )}
            : {f.message}
          </li>
        ))}
      </ul>
      {faults.length > 20 && <p>And {faults.length - 20} more.</p>}
    </div>
  );
}

/** What every head of a table is taken for; what is needed and missing stands out. */
function Mapping({ kind, table, onChange }: { kind: TableKind; table: NonNullable<Preview["table"]>; onChange: () => void }) {
  const missing = COLUMNS[kind].filter((c) => c.needed && !table.mapping.includes(c.id)).map((c) => c.words);
  return (
    <fieldset onChange={onChange} className="text-sm">
      <legend className="font-semibold">{countWords(table.rows, "row")}; what its columns mean</legend>
      {missing.length > 0 && <p className="text-late">Not found: {listWords(missing, 9)}.</p>}
      <div className="mt-1 grid grid-cols-2 gap-x-4 gap-y-1">
        {table.heads.map((head, i) => (
          <label key={i} className="flex items-baseline justify-between gap-2">
            <span className="figures truncate">{head || `column ${i + 1}`}</span>
            <select name="column" key={`${i} ${table.mapping[i]}`} defaultValue={table.mapping[i] ?? ""} className="rounded-[3px] border border-line-strong bg-raised px-1">
              <option value="">nothing</option>
              {COLUMNS[kind].map((c) => (
                <option key={c.id} value={c.id}>
                  {c.words}
                </option>
              ))}
            </select>
          </label>
        ))}
      </div>
    </fieldset>
  );
}
