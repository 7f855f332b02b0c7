import { Link } from "react-router";
import { KEEPS_TARGETS } from "#core/readiness/readiness.ts";
import { durationWords, sizeWords } from "#core/wording/amounts.ts";
import { TimelineChart, type TimelineRow } from "../../charts/timeline.tsx";
import { load } from "../../context.ts";
import { askedQuestion, useQuestionSearch } from "../../frame/question-link.ts";
import { Workplace } from "../../frame/workplace.tsx";
import { momentWords } from "../../frame/zoned.ts";
import { Button } from "../../ui/button.tsx";
import { Notice } from "../../ui/notice.tsx";
import { NoEstate } from "../readiness/no-estate.tsx";
import { verdictTone } from "../readiness/ruler-line.ts";
import { Sheet } from "../../ui/sheet.tsx";
import type { Route } from "./+types/route";
import { ChainInspector } from "./chain-inspector.tsx";
import { readRunbook } from "./queries.ts";
import { runbookSubline } from "./subline.ts";

export const meta: Route.MetaFunction = () => [{ title: "Runbooks · Ypostasis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => ({
    view: await readRunbook(context.app, who.organisationId, askedQuestion(request), new URL(request.url).searchParams.get("service")),
    zone: who.timeZone,
  }));
}

export default function Runbooks({ loaderData: { view, zone } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  if (!view) return <NoEstate />;
  const rows: TimelineRow[] = [
    { id: "opening", name: "Decide", note: "assumed", bars: view.opening, rto: null, verdict: null, href: null, chosen: false },
    ...view.rows.map((r) => ({
      id: r.id,
      name: r.name,
      note: `tier ${r.tier}`,
      bars: r.bars,
      rto: r.rto,
      verdict: {
        text: `${durationWords(r.serviceable)}${r.serviceable > r.rto ? `, ${durationWords(r.serviceable - r.rto)} late` : ""}`,
        late: !KEEPS_TARGETS.includes(r.verdict) && r.serviceable > r.rto,
      },
      href: search({ service: r.id }),
      chosen: view.chosen?.service === r.id,
    })),
  ];
  return (
    <Workplace label="Runbooks" inspector={view.chosen && <ChainInspector chosen={view.chosen} />}>
      <div className="flex flex-wrap items-start justify-between gap-4">
        <div>
          <h1>{view.title}</h1>
          <p className="text-soft">
            {runbookSubline(view)} · struck {momentWords(view.at, zone)}
          </p>
        </div>
        <span className="no-print flex gap-2">
          <Button onClick={() => window.print()}>Print</Button>
          <Link to={`/rehearsals${search()}`} className="rounded-[3px] border border-accent bg-accent px-3 py-1 text-sm font-medium text-on-accent">
            Rehearse it
          </Link>
        </span>
      </div>
      {view.notes.map((note) => (
        <Notice key={note} kind="know">
          {note}
        </Notice>
      ))}
      {view.rows.length > 0 ? (
        <div className="mt-2">
          <TimelineChart
            rows={rows}
            end={view.end}
            origin="strike"
            strips={view.strips}
            renderName={(row) =>
              row.href === null ? (
                <span className="block pt-1 text-sm font-semibold">{row.name}</span>
              ) : (
                <Link
                  to={row.href || "."}
                  preventScrollReset
                  aria-current={row.chosen ? "true" : undefined}
                  className={`flex items-baseline justify-between gap-1 pt-1.5 text-sm leading-tight hover:text-accent ${row.chosen ? "font-bold" : "font-medium"}`}
                >
                  <span className="truncate">{row.name}</span>
                  <span className="shrink-0 text-xs font-normal text-soft">{row.note}</span>
                </Link>
              )
            }
          />
          <p className="mt-2 text-xs text-soft">
            Solid with a line under it: the chain that decides the chosen service · dashed: waits for something shared · bracket: RTO, counted from the strike · red line: all in
            use
          </p>
        </div>
      ) : (
        <p className="mt-6 text-soft">
          {view.noRunbook ??
            (view.cannot.length === 0
              ? "Nothing is down in this outage, so there is nothing to bring back. Choose another loss above."
              : "None of the services that are down can be brought back; the reasons stand below.")}
        </p>
      )}

      {view.cannot.length > 0 && (
        <section aria-labelledby="cannot" className="mt-5">
          <h2 id="cannot" className="border-b border-line-strong pb-0.5">
            Cannot return
          </h2>
          <ul className="mt-1 space-y-1 text-sm">
            {view.cannot.map((c) => (
              <li key={c.name}>
                <span className="font-semibold">{c.name}</span> <span className={verdictTone("cannot-return")}>{c.sentence}.</span>{" "}
                <span className="text-soft">{c.reasons.join(" ")}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {view.machines.length > 0 && (
        <section aria-labelledby="machines" className="mt-5">
          <h2 id="machines" className="border-b border-line-strong pb-0.5">
            Which point, from where, onto which host
          </h2>
          <Sheet heads={["Machine", "Point", "Age at the strike", "To bring back", "From", "Onto"]}>
            {view.machines.map((m) => (
              <tr key={m.id}>
                <th scope="row" className="figures font-normal text-ink!">
                  {m.name}
                </th>
                <td title={m.point}>
                  {momentWords(m.capturedAt, zone)}
                  {m.predicted && " (by schedule)"}
                </td>
                <td className="figures">{durationWords((view.at - m.capturedAt) / 1000)}</td>
                <td className="figures">{sizeWords(m.dataBytes)}</td>
                <td>{m.stores.join(", else ")}</td>
                <td>{m.host}</td>
              </tr>
            ))}
          </Sheet>
        </section>
      )}
      {view.stays.length > 0 && (
        <p className="mt-4 text-sm text-soft">Not touched: {view.stays.map((s) => (s.sentence === "stays up" ? s.name : `${s.name} (${s.sentence})`)).join(", ")}.</p>
      )}
      {view.steps.length > 0 && (
        <details className="mt-4 text-sm">
          <summary className="cursor-pointer text-soft">Every step as a table</summary>
          <Sheet heads={["Step", "By", "Starts", "Ends", "Slack"]} className="mt-2">
            {[...view.steps]
              .sort((a, b) => a.start - b.start)
              .map((s) => (
                <tr key={s.id}>
                  <td>{s.title}</td>
                  <td>{s.actor}</td>
                  <td className="figures">{durationWords(s.start)}</td>
                  <td className="figures">{durationWords(s.finish)}</td>
                  <td className="figures">{durationWords(s.slack)}</td>
                </tr>
              ))}
          </Sheet>
        </details>
      )}
    </Workplace>
  );
}
