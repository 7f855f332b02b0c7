import { Link } from "react-router";
import { countWords, durationWords, listWords, sizeWords } from "#core/wording/amounts.ts";
import { Sawtooth } from "../../charts/sawtooth.tsx";
import { instantText, useQuestionSearch } from "../../frame/question-link.ts";
import { fullWords, momentWords } from "../../frame/zoned.ts";
import { InspectorHead } from "../../ui/inspector-head.tsx";
import type { CopiesView } from "./copies-view.ts";

/** One machine: how much would be lost now, how that came about, and its points. */
export function MachineInspector({ chosen, stores, at, zone }: { chosen: NonNullable<CopiesView["chosen"]>; stores: CopiesView["stores"]; at: number; zone: string }) {
  const search = useQuestionSearch();
  const { exposureNow, summary, rpo } = chosen;
  const late = exposureNow === null || (rpo !== null && exposureNow > rpo);
  return (
    <div className="text-sm">
      <InspectorHead name={chosen.name} closeTo={search({ machine: null })} figures />
      <p className="text-soft">
        {chosen.service ?? "no service needs it"} · {chosen.host}
        {rpo !== null && ` · RPO ${durationWords(rpo)}`}
      </p>
      <p className={`mt-3 ${late ? "text-late" : ""}`}>
        <span className="figures text-xl font-semibold">{exposureNow === null ? "everything" : durationWords(exposureNow)}</span>{" "}
        <span className="block">
          would be lost at the needle: age of the newest surviving copy
          {chosen.group && chosen.group.others.length > 0 && ` that agrees with those of ${listWords(chosen.group.others)} (${chosen.group.name})`}
        </span>
      </p>
      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">Data at risk, three days</h3>
      <Sawtooth vertices={chosen.vertices} target={rpo} fromWords={momentWords(chosen.vertices[0]!.at, zone)} toWords={momentWords(at, zone)} />
      {rpo !== null && (
        <p className={summary.shareAbove > 0 ? "font-semibold text-late" : "text-soft"}>
          {summary.shareAbove > 0 ? `Above its RPO ${Math.round(summary.shareAbove * 100) || "under 1"} % of the time.` : "Always within its RPO."}
        </p>
      )}
      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">
        {countWords(chosen.pointCount, "point")}
        {chosen.pointCount > chosen.points.length && `, the newest ${chosen.points.length}`}
      </h3>
      <ol className="mt-1">
        {chosen.points.map((p) => (
          <li key={p.id} className="border-b border-line py-1">
            <Link
              className="plain-link"
              to={search({ machine: chosen.id, at: instantText(Math.ceil(Math.max(...p.copies.map((c) => c.arrivedAt)) / 60_000) * 60_000) })}
              preventScrollReset
              title={`${fullWords(p.capturedAt, zone)} · ${p.id}`}
            >
              {momentWords(p.capturedAt, zone)}
            </Link>{" "}
            <span className="text-xs text-soft">
              {sizeWords(p.changedBytes)} changed of {sizeWords(p.dataBytes)}
            </span>
            <span className="block text-xs">
              {p.copies.map((c) => {
                const store = stores.find((s) => s.id === c.store);
                return (
                  <span
                    key={c.store}
                    className={`mr-2 inline-block whitespace-nowrap ${c.state === "damaged" ? "font-semibold text-late" : store?.lost ? "text-soft line-through" : ""}`}
                  >
                    {store?.name ?? c.store}
                    {c.state === "damaged" ? " (damaged)" : ` +${durationWords((c.arrivedAt - p.capturedAt) / 1000)}`}
                  </span>
                );
              })}
            </span>
          </li>
        ))}
      </ol>
      {chosen.pointCount === 0 && <p className="mt-1 text-soft">It has never been copied by then.</p>}
    </div>
  );
}
