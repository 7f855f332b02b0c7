import { type ReactNode, useState } from "react";
import { Link, useFetcher, useSearchParams } from "react-router";
import { countWords, durationWords, sizeWords } from "#core/wording/amounts.ts";
import { load, perform } from "../../context.ts";
import { askedQuestion, useAddress, useQuestionSearch } from "../../frame/question-link.ts";
import { useMayAct } from "../../frame/who.ts";
import { Workplace } from "../../frame/workplace.tsx";
import { momentWords } from "../../frame/zoned.ts";
import { Button } from "../../ui/button.tsx";
import type { FormResult } from "../../ui/form-result.ts";
import { useListKeys } from "../../ui/list-keys.ts";
import { Notice } from "../../ui/notice.tsx";
import { NoEstate } from "../readiness/no-estate.tsx";
import { orUnanswered } from "../../ui/or-unanswered.ts";
import type { Route } from "./+types/route";
import { actOnCopies } from "./actions.ts";
import { AGE_TICKS, AgeCell, agePercent } from "./age-cell.tsx";
import type { CopiesView } from "./copies-view.ts";
import { CopyNow } from "./copy-now.tsx";
import { MachineInspector } from "./machine-inspector.tsx";
import { PathsSection } from "./paths-section.tsx";
import { PolicyRoute } from "./policy-route.tsx";
import { readCopies } from "./queries.ts";

/** Beside more stores than these, only some ages find room over a column. */
const ROOMY_STORES = 4;

export const meta: Route.MetaFunction = () => [{ title: "Copies · Ypostasis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => ({
    view: await readCopies(
      context.app,
      who.organisationId,
      askedQuestion(request),
      new URL(request.url).searchParams.get("machine"),
      new URL(request.url).searchParams.get("filter") ?? "",
    ),
    zone: who.timeZone,
  }));
}

export const action = ({ request, context }: Route.ActionArgs) => perform(context, request, async (person) => actOnCopies(context.app, person, await request.formData()));

export const clientAction = ({ serverAction }: Route.ClientActionArgs) => orUnanswered(serverAction);

export default function Copies({ loaderData: { view, zone } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  const list = useListKeys();
  const [params] = useSearchParams();
  if (!view) return <NoEstate />;
  const columns = { gridTemplateColumns: `9.5rem 5rem repeat(${view.stores.length}, minmax(0, 1fr))` };
  return (
    <Workplace label="Copies" inspector={view.chosen && <MachineInspector chosen={view.chosen} stores={view.stores} at={view.at} zone={zone} />}>
      <div className="flex flex-wrap items-start justify-between gap-x-6">
        <div>
          <h1>{view.headline.title}</h1>
          <p className="text-soft">{view.headline.sub}</p>
        </div>
        <CopyNow policies={view.policies} />
      </div>

      <section aria-labelledby="matrix" className="mt-4">
        <h2 id="matrix" className="sr-only">
          Machines and stores
        </h2>
        {view.machines > view.rows.length && (
          <RowFilter>
            {view.rows.length === view.fitting
              ? `${countWords(view.fitting, "machine")} of ${view.machines}`
              : `the first ${view.rows.length} of ${countWords(view.fitting, "machine")}`}
          </RowFilter>
        )}
        <div className="grid items-end gap-x-4 border-b border-line-strong pb-1 text-sm font-semibold" style={columns}>
          <span>Machine</span>
          <span className="text-xs font-normal text-soft">RPO</span>
          {view.stores.map((s) => (
            <span key={s.id}>
              <span className={s.lost ? "text-soft line-through" : ""}>{s.name}</span>
              <svg className="block h-4 w-full overflow-visible font-normal" aria-hidden="true">
                {AGE_TICKS.filter(([, text]) => view.stores.length <= ROOMY_STORES || /^1 [hd]/.test(text)).map(([seconds, text]) => (
                  <text key={text} x={`${agePercent(seconds)}%`} y="12" textAnchor="middle" className="figures" fontSize="10" fill="var(--soft)">
                    {text}
                  </text>
                ))}
              </svg>
            </span>
          ))}
        </div>
        <ul ref={list}>
          {view.rows.map((row) => {
            const chosen = view.chosen?.id === row.id;
            return (
              <li key={row.id} className={`relative border-b border-line ${chosen ? "bg-chosen" : ""}`}>
                {chosen && <span className="absolute top-0 bottom-0 -left-3 w-[3px] bg-accent" />}
                <Link
                  to={search({ machine: chosen ? null : row.id, filter: params.get("filter") }) || "."}
                  preventScrollReset
                  data-list-item
                  aria-current={chosen ? "true" : undefined}
                  className="grid items-center gap-x-4 hover:bg-chosen/50"
                  style={columns}
                >
                  <span className="figures truncate text-sm">{row.name}</span>
                  <span className="text-xs text-soft">{row.rpo === null ? "no service" : durationWords(row.rpo)}</span>
                  {row.cells.map((cell, i) => (
                    <AgeCell key={view.stores[i]!.id} cell={cell} rpo={cell || row.expected[i] ? row.rpo : null} lost={view.stores[i]!.lost} />
                  ))}
                </Link>
              </li>
            );
          })}
        </ul>
        <p className="mt-2 text-xs text-soft">
          Bar: age of the newest whole copy at the needle · bracket: RPO · dot: whole as far as is known · cross: damaged · dotted: no copy · grey: lost with its store
        </p>
      </section>

      <section aria-labelledby="policies" className="mt-6">
        <h2 id="policies" className="border-b border-line-strong pb-0.5">
          Policies
        </h2>
        {view.policies.map((policy) => (
          <Policy key={policy.id} policy={policy} view={view} zone={zone} />
        ))}
        {view.policies.length === 0 && (
          <p className="mt-2 text-soft">No policy covers any machine. Policies stand in the estate file: machines, how often, and the legs to the stores.</p>
        )}
      </section>

      <section aria-labelledby="room" className="mt-6">
        <h2 id="room" className="border-b border-line-strong pb-0.5">
          Room in the stores
        </h2>
        <table className="sheet">
          <thead>
            <tr>
              <th scope="col">Store</th>
              <th scope="col" className="w-1/3">
                <span className="sr-only">Filled</span>
              </th>
              <th scope="col">Used</th>
              <th scope="col">Grows a day</th>
              <th scope="col">Full</th>
            </tr>
          </thead>
          <tbody>
            {view.stores.map((s) => (
              <tr key={s.id}>
                <th scope="row" className="text-ink!">
                  {s.name}
                </th>
                <td>
                  <svg className="block h-5 w-full" aria-hidden="true">
                    <rect y="6" width="100%" height="8" fill="none" stroke="var(--line-strong)" />
                    <rect y="6" width={`${(s.room.used / s.room.capacity) * 100}%`} height="8" fill="var(--bar)" />
                  </svg>
                </td>
                <td className="figures">
                  {sizeWords(s.room.used)} of {sizeWords(s.room.capacity)}
                </td>
                <td className="figures">{sizeWords(s.room.grownPerDay)}</td>
                <td className="figures">{s.room.fullInSeconds === null ? "does not grow" : `in ${durationWords(s.room.fullInSeconds)}`}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="mt-1 text-xs text-soft">
          Nothing is cleaned up yet: every point is kept, and a copy that would not fit is refused. Sizes are nominal, after reduction; growth is that of the last day, drawn on
          straight.
        </p>
      </section>

      <PathsSection view={view} zone={zone} />
    </Workplace>
  );
}

/** Among many machines those are found whose name or service has all words. */
function RowFilter({ children }: { children: ReactNode }) {
  const [params] = useSearchParams();
  const change = useAddress();
  const [text, setText] = useState(params.get("filter") ?? "");
  return (
    <form
      className="mb-2 flex items-baseline gap-4 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        change({ filter: text || null });
      }}
    >
      <label className="flex items-baseline gap-2">
        <span className="text-soft">Find machines</span>
        <input value={text} onChange={(e) => setText(e.target.value)} className="w-56 rounded-[3px] border border-line-strong bg-raised px-2 py-0.5" autoComplete="off" />
      </label>
      <Button type="submit">Find</Button>
      <span role="status" className="text-soft">
        {children}
      </span>
    </form>
  );
}

function Policy({ policy, view, zone }: { policy: CopiesView["policies"][number]; view: CopiesView; zone: string }) {
  const mayAct = useMayAct();
  const fetcher = useFetcher<FormResult>();
  const lost = new Set(view.stores.filter((s) => s.lost).map((s) => s.id));
  return (
    <section aria-label={policy.name} className="mt-2 grid grid-cols-[13rem_minmax(0,1fr)] gap-x-4">
      <div>
        <p className="font-semibold">{policy.name}</p>
        <p className="text-sm text-soft">
          {countWords(policy.count, "machine")}, every {durationWords(policy.every)}
          {policy.running && policy.nextAt !== null ? `; next ${momentWords(policy.nextAt, zone)}` : "; schedule stopped"}
        </p>
        <fetcher.Form method="post" className="mt-1">
          <input type="hidden" name="act" value="schedule" />
          <input type="hidden" name="policy" value={policy.id} />
          <input type="hidden" name="running" value={policy.running ? "no" : "yes"} />
          <Button type="submit" disabled={!mayAct || fetcher.state !== "idle"}>
            {policy.running ? "Stop schedule" : "Start schedule"}
          </Button>
        </fetcher.Form>
        {fetcher.data && "error" in fetcher.data && <Notice kind="wrong">{fetcher.data.error}</Notice>}
      </div>
      <PolicyRoute legs={policy.legs} lost={lost} />
    </section>
  );
}
