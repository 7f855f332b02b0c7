import { Link, useSearchParams } from "react-router";
import { durationWords } from "#core/wording/amounts.ts";
import { Ruler, RulerAxis, RulerGrid, RulerScaleProvider, Textures } from "../../charts/ruler.tsx";
import { rulerScale } from "../../charts/ruler-scale.ts";
import { load } from "../../context.ts";
import { askedQuestion, useQuestionSearch } from "../../frame/question-link.ts";
import { useLive } from "../../frame/live.tsx";
import { Workplace } from "../../frame/workplace.tsx";
import { useListKeys } from "../../ui/list-keys.ts";
import { Sheet } from "../../ui/sheet.tsx";
import type { Route } from "./+types/route";
import { NoEstate } from "./no-estate.tsx";
import { groupRows } from "./group-rows.ts";
import { type ReadinessRow, readReadiness } from "./queries.ts";
import { rulerLine, verdictTone } from "./ruler-line.ts";
import { ServiceInspector } from "./service-inspector.tsx";

export const meta: Route.MetaFunction = () => [{ title: "Readiness · Ypostasis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => ({
    view: await readReadiness(context.app, who.organisationId, askedQuestion(request), new URL(request.url).searchParams.get("service")),
    zone: who.timeZone,
  }));
}

const ORDERS = ["tier", "verdict", "owner"] as const;

export default function Readiness({ loaderData: { view, zone } }: Route.ComponentProps) {
  const [params] = useSearchParams();
  const search = useQuestionSearch();
  const order = ORDERS.find((o) => o === params.get("order")) ?? "tier";
  const list = useListKeys();
  useLive();
  if (!view) return <NoEstate />;
  const scale = rulerScale(
    Math.max(...view.rows.flatMap((r) => [r.loss?.seconds ?? 0, r.rpo])),
    Math.max(...view.rows.flatMap((r) => [r.recovery?.serviceable ?? 0, r.rto, r.mtd ?? 0, r.proof?.withOpening ?? 0])),
  );
  const keep = (more: Record<string, string | null>): string => search({ ...(order === "tier" ? {} : { order }), ...more });
  return (
    <RulerScaleProvider scale={scale}>
      <Workplace
        inspector={
          view.chosen && <ServiceInspector chosen={view.chosen} at={view.at} now={view.now} zone={zone} assumptions={view.assumptions} closeTo={keep({ service: null })} />
        }
        label="Readiness"
      >
        <Textures />
        <div className="flex flex-wrap items-start justify-between gap-x-6 gap-y-1">
          <div>
            <h1>{view.headline}</h1>
            <p className="text-soft">{view.subline}</p>
          </div>
          <p className="text-sm text-soft">
            {ORDERS.map((o, i) => (
              <span key={o}>
                {i > 0 && " · "}
                <Link
                  to={search({ order: o === "tier" ? null : o })}
                  aria-current={o === order ? "true" : undefined}
                  className={o === order ? "font-semibold text-ink" : "hover:text-ink"}
                  preventScrollReset
                >
                  by {o}
                </Link>
              </span>
            ))}
          </p>
        </div>
        <div className="mt-3 grid grid-cols-[10.5rem_minmax(0,1fr)_5.5rem_minmax(11rem,0.85fr)] gap-x-3">
          <span />
          <RulerAxis />
        </div>
        <div className="relative" ref={list}>
          <div className="absolute inset-y-0 left-0 grid w-full grid-cols-[10.5rem_minmax(0,1fr)_5.5rem_minmax(11rem,0.85fr)] gap-x-3">
            <span />
            <div className="relative">
              <RulerGrid />
            </div>
          </div>
          {groupRows(view.rows, order).map((group) => (
            <section key={group.heading} aria-label={group.heading} className="relative">
              <h2 className="border-b border-line-strong pt-2 pb-0.5 text-sm">
                {group.heading} <span className="ml-1 text-xs font-normal text-soft">{group.note}</span>
              </h2>
              <ul>
                {group.rows.map((row) => (
                  <Row
                    key={row.service}
                    row={row}
                    to={keep({ service: view.chosen?.service === row.service ? null : row.service })}
                    chosen={view.chosen?.service === row.service}
                  />
                ))}
              </ul>
            </section>
          ))}
        </div>
        <Legend />
        <FiguresTable rows={view.rows} />
      </Workplace>
    </RulerScaleProvider>
  );
}

function Row({ row, to, chosen }: { row: ReadinessRow; to: string; chosen: boolean }) {
  const tone = verdictTone(row.verdict);
  return (
    <li className={`relative border-b border-line ${chosen ? "bg-chosen" : ""}`}>
      {chosen && <span className="absolute top-0 bottom-0 -left-3 w-[3px] bg-accent" />}
      <Link
        to={to || "."}
        preventScrollReset
        data-list-item
        className="grid grid-cols-[10.5rem_minmax(0,1fr)_5.5rem_minmax(11rem,0.85fr)] items-center gap-x-3 hover:bg-chosen/50"
        aria-current={chosen ? "true" : undefined}
      >
        <span className={`truncate ${chosen ? "font-bold" : "font-medium"}`}>{row.name}</span>
        <Ruler line={rulerLine(row)} />
        <span className={`figures text-sm font-semibold ${tone}`}>{row.recovery ? durationWords(row.recovery.serviceable) : row.verdict === "stays-up" ? "" : "–"}</span>
        <span className={`text-sm leading-tight ${tone} ${tone === "text-late" ? "font-semibold" : ""}`}>{row.sentence}</span>
      </Link>
    </li>
  );
}

function Legend() {
  return (
    <p className="mt-3 text-xs text-soft">
      Left bracket RPO, bar data lost · right bracket RTO, bar time away (cuts: detected, declared, coordinator ready) · thin mark MTD · diamond last rehearsal with the same
      assumed opening, filled by its proof · dotted: cannot return
    </p>
  );
}

function FiguresTable({ rows }: { rows: readonly ReadinessRow[] }) {
  return (
    <details className="mt-3 text-sm">
      <summary className="cursor-pointer text-soft">The same as a table</summary>
      <Sheet heads={["Service", "Data lost", "RPO", "Time away", "RTO", "MTD", "Rehearsed", "Verdict"]} className="mt-2">
        {rows.map((r) => (
          <tr key={r.service}>
            <th scope="row">{r.name}</th>
            <td className="figures">{r.loss ? durationWords(r.loss.seconds) : "–"}</td>
            <td className="figures">{durationWords(r.rpo)}</td>
            <td className="figures">{r.recovery ? durationWords(r.recovery.serviceable) : "–"}</td>
            <td className="figures">{durationWords(r.rto)}</td>
            <td className="figures">{r.mtd === null ? "–" : durationWords(r.mtd)}</td>
            <td className="figures">{r.proof === null || r.proof.withOpening === null ? "–" : durationWords(r.proof.withOpening)}</td>
            <td>{r.sentence}</td>
          </tr>
        ))}
      </Sheet>
    </details>
  );
}
