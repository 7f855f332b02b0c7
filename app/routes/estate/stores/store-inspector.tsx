import { useState } from "react";
import { useFetcher } from "react-router";
import { countWords, durationWords, listWords, rateWords, sizeWords } from "#core/wording/amounts.ts";
import { useQuestionSearch } from "../../../frame/question-link.ts";
import { useMayAct } from "../../../frame/who.ts";
import { Button } from "../../../ui/button.tsx";
import { Fact } from "../../../ui/fact.tsx";
import { InspectorHead } from "../../../ui/inspector-head.tsx";
import { Notice } from "../../../ui/notice.tsx";
import type { StoreView } from "./queries.ts";
import { ReachDialog } from "./reach-dialog.tsx";
import type { StoreResult } from "./route.tsx";

const money = (amount: number, currency: string): string => new Intl.NumberFormat("en", { style: "currency", currency, maximumFractionDigits: amount < 10 ? 2 : 0 }).format(amount);

/** One store: what it is good for, what opens it, how it is reached and how it was last tried. */
export function StoreInspector({ view }: { view: StoreView }) {
  const search = useQuestionSearch();
  const [reaching, setReaching] = useState(false);
  const [told, setTold] = useState<string | null>(null);
  const fetcher = useFetcher<StoreResult>();
  const mayAct = useMayAct();
  const { store: s } = view;
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  const bucket = s.kind === "bucket" || s.kind === "archive";
  return (
    <div className="text-sm">
      <InspectorHead name={s.name} closeTo={search({ show: "stores", item: null })} />
      <p className="text-soft">
        {s.kind} at {view.site} · {view.country}
      </p>
      <dl className="mt-3">
        <Fact what="Media">{s.media === undefined ? "not stated" : s.media === "provider" ? "the provider's own" : s.media}</Fact>
        <Fact what="Room">
          {sizeWords(view.used)} used, {sizeWords(Math.max(0, view.left))} left of {sizeWords(s.capacity)}
          {s.quota !== undefined && ` (quota ${sizeWords(s.quota)})`}
        </Fact>
        <Fact what="Reads and writes">
          {rateWords(s.readRate)}, {rateWords(s.writeRate)}; {countWords(s.restoreStreams, "machine")} brought back at a time
        </Fact>
        <Fact what="Machines running from it">{view.runs.words}</Fact>
        {s.retrieval !== undefined && <Fact what="Retrieval">{durationWords(s.retrieval)} until what is asked for can be read</Fact>}
        {s.redundancy && (
          <Fact what="Kept by the store itself">
            {countWords(s.redundancy.copies, "copy", "copies")}
            {view.second &&
              `, one at ${view.second.name} (${view.second.country}), readable ${s.redundancy.second === "at-will" ? "at will" : "only once the provider declares a disaster"}`}
          </Fact>
        )}
        <Fact what="Protection">
          {s.locked ? "locked: nothing can be changed or deleted before its time" : "not locked"};{" "}
          {s.encryptedTransport === undefined ? "whether transport is encrypted is not stated" : s.encryptedTransport ? "encrypted on the way" : "not encrypted on the way"}
        </Fact>
        {view.cost && s.prices && (
          <Fact what="Costs">
            {money(view.cost.month, view.cost.currency)} a month for what lies there; {money(view.cost.readAll, view.cost.currency)} to bring all of it back
          </Fact>
        )}
        <Fact what="Filled by">{view.fedBy.length === 0 ? "no policy" : listWords(view.fedBy)}</Fact>
      </dl>
      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">Keys</h3>
      {view.keys.length === 0 ? (
        <p className="mt-1 text-soft">No key is described that opens it.</p>
      ) : (
        view.keys.map((k) => (
          <div key={k.name} className="border-b border-line py-1">
            <p className="font-semibold">{k.name}</p>
            {k.holders.map((h) => (
              <p key={h.who + h.place} className="text-soft">
                {h.who}, {h.place}
                {h.siteName && ` (${h.siteName})`}: {h.tried ? `tried ${h.tried}` : "never tried"}
              </p>
            ))}
          </div>
        ))
      )}
      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">How it is reached</h3>
      <p className="mt-1 break-all text-soft">{view.access ? view.access.address || "known, and sealed" : "Not known yet: nothing can be copied there."}</p>
      {view.access?.probe.map((step) => (
        <p key={step.what} className={`flex gap-2 border-b border-line py-1 ${step.outcome === "wrong" ? "text-late" : step.outcome === "untried" ? "text-soft" : ""}`}>
          <span className="w-20 shrink-0 text-soft">{step.what}</span>
          <span>{step.words}</span>
        </p>
      ))}
      <div className="mt-2 flex gap-3">
        <Button
          disabled={!mayAct || !view.access || fetcher.state !== "idle"}
          onClick={() => void fetcher.submit({ act: "try", store: s.id }, { method: "post", action: "/estate/stores" })}
        >
          {fetcher.state === "idle" ? "Try it now" : "Trying …"}
        </Button>
        <Button disabled={!mayAct} onClick={() => setReaching(true)}>
          {view.access ? "Reach it elsewhere" : "Say how"}
        </Button>
      </div>
      {result && "error" in result && <Notice kind="wrong">{result.error}</Notice>}
      {(told ?? (result && "done" in result)) && (
        <p role="status" className="mt-1 text-soft">
          {result && "done" in result ? result.done : told}
        </p>
      )}
      <ReachDialog store={{ id: s.id, name: s.name, bucket }} open={reaching} onOpenChange={setReaching} onDone={setTold} />
    </div>
  );
}
