import { Link } from "react-router";
import { countWords, durationWords, listWords, sizeWords } from "#core/wording/amounts.ts";
import { WeekGrid } from "../../../charts/week-grid.tsx";
import { load } from "../../../context.ts";
import { useLive } from "../../../frame/live.tsx";
import { askedQuestion, useQuestionSearch } from "../../../frame/question-link.ts";
import { Workplace } from "../../../frame/workplace.tsx";
import { momentWords } from "../../../frame/zoned.ts";
import { Notice } from "../../../ui/notice.tsx";
import { Sheet } from "../../../ui/sheet.tsx";
import { EstateNav } from "../estate-nav.tsx";
import type { Route } from "./+types/route";
import { type MachineView, readMachine } from "./queries.ts";

export const meta: Route.MetaFunction = ({ params }) => [{ title: `${params.machine} · Estate · Ypostasis` }];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const view = await readMachine(context.app, who.organisationId, askedQuestion(request), params.machine);
    if (!view) throw new Response("The estate has no such machine", { status: 404 });
    return { view, zone: who.timeZone };
  });
}

export default function MachinePage({ loaderData: { view, zone } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  const { machine: m } = view;
  useLive();
  return (
    <Workplace label={`Machine ${m.name}`}>
      <h1>
        <span className="figures">{m.name}</span> at {view.site}
      </h1>
      <EstateNav shown="machines" />
      <p className="mt-2 text-sm text-soft">
        {view.host} ({view.family}) · {countWords(m.cores, "core")} · {sizeWords(m.memory)} of memory
        {m.firmware && ` · ${m.firmware.toUpperCase()}`} ·{" "}
        {view.services.length === 0 ? (
          "for no service"
        ) : (
          <>
            for{" "}
            {view.services.map((s, i) => (
              <span key={s.id}>
                {i > 0 && ", "}
                <Link className="plain-link" to={`/${search({ service: s.id })}`}>
                  {s.name}
                </Link>
              </span>
            ))}
          </>
        )}{" "}
        · {view.policies.length === 0 ? "in no policy" : `copied by ${listWords(view.policies)}`} ·{" "}
        <Link className="plain-link" to={`/estate${search({ show: "machines", item: m.id })}`}>
          as it is written
        </Link>
      </p>
      {m.gone && <Notice kind="wrong">Its source is gone from its platform since {momentWords(Date.parse(m.gone), zone)}. It is copied no more; its points stay.</Notice>}
      {view.gaps.map((g) => (
        <p key={g.id} className="mt-1 text-sm text-late">
          {g.sentence} <span className="text-soft">{g.remedy}</span>
        </p>
      ))}
      <div className="mt-4 grid gap-x-10 gap-y-5 pb-6 xl:grid-cols-2">
        <section aria-label="Disks and networks">
          <h2 className="text-base">Disks and networks</h2>
          <Sheet heads={["Disk", "Size", "Used", "Full"]}>
            {m.disks.map((d) => (
              <tr key={d.id}>
                <th scope="row" className="figures">
                  {d.id}
                </th>
                <td className="figures">{sizeWords(d.size)}</td>
                <td className="figures">{sizeWords(d.used)}</td>
                <td className="figures">{Math.round((100 * d.used) / d.size)} %</td>
              </tr>
            ))}
          </Sheet>
          {view.attached.length === 0 ? (
            <p className="mt-2 text-sm text-soft">No network is described for it.</p>
          ) : (
            <Sheet heads={["Network", "Range", "Address"]} className="mt-2">
              {view.attached.map((a) => (
                <tr key={a.name}>
                  <th scope="row">{a.name}</th>
                  <td className="figures">{a.range}</td>
                  <td className="figures">{a.address ?? "not stated"}</td>
                </tr>
              ))}
            </Sheet>
          )}
        </section>
        <ChangeSection view={view} zone={zone} />
        <section aria-label="Where else it could run" className="xl:col-span-2">
          <h2 className="text-base">Where else it could run</h2>
          <Sheet heads={["Host", "Site", "Could it?"]}>
            {view.elsewhere.map((h) => (
              <tr key={h.id}>
                <th scope="row">{h.name}</th>
                <td>{h.site}</td>
                <td className={h.reasons.length > 0 ? "text-soft" : ""}>
                  {h.reasons.length > 0
                    ? `no: ${listWords(h.reasons)}`
                    : `yes, ${h.how === "converted" ? "once it is converted" : "as it is"}${h.sameSite ? ", at the same site" : ""}`}
                </td>
              </tr>
            ))}
          </Sheet>
          <p className="mt-1 text-xs text-soft">
            By what hosts are, not by what runs there: a runbook looks at the room that is left. It is made in {durationWords(m.prepare)} and starts in {durationWords(m.boot)}{" "}
            (estimates).
            {view.closed.length > 0 && ` On ${view.family}, ${listWords(view.closed)}.`}
          </p>
        </section>
      </div>
    </Workplace>
  );
}

function ChangeSection({ view, zone }: { view: MachineView; zone: string }) {
  const { change } = view.machine;
  const seen = view.week.filter((h) => h.rate !== null);
  const mean = seen.length > 0 ? seen.reduce((sum, h) => sum + h.rate! * h.hours, 0) / seen.reduce((sum, h) => sum + h.hours, 0) : null;
  return (
    <section aria-label="How much it changes">
      <h2 className="text-base">How much it changes</h2>
      <p className="mt-1 text-sm text-soft">
        Stated: {sizeWords(change.written)} an hour written over {sizeWords(change.hot)}, {sizeWords(change.grown)} grown; an hourly capture would find {sizeWords(view.expected)}{" "}
        changed.{" "}
        {mean === null
          ? view.points === 0
            ? "It has never been captured, so nothing is measured yet."
            : "Its captures are too far apart to tell the hours."
          : `Captures found ${sizeWords(mean)} an hour, seen in ${countWords(seen.length, "hour")} of the week.`}
        {view.newest !== null && ` ${countWords(view.points, "point")}, the newest ${momentWords(view.newest, zone)}.`}
      </p>
      {mean !== null && (
        <div className="mt-2">
          <WeekGrid week={view.week} label={`What captures found changed, by hour of the week; ${sizeWords(mean)} an hour on average`} />
          <p className="text-xs text-soft">The highest bar is {sizeWords(Math.max(...seen.map((h) => h.rate!)))} an hour; dotted: nothing seen yet.</p>
          <details className="text-xs text-soft">
            <summary className="cursor-default">As a table</summary>
            <Sheet heads={["Hour of the week", "Changed an hour", "Hours seen"]}>
              {view.week.flatMap((h, i) =>
                h.rate === null
                  ? []
                  : [
                      <tr key={i}>
                        <th scope="row">
                          {["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"][Math.floor(i / 24)]} {i % 24} h
                        </th>
                        <td className="figures">{sizeWords(h.rate)}</td>
                        <td className="figures">{h.hours.toFixed(1)}</td>
                      </tr>,
                    ],
              )}
            </Sheet>
          </details>
        </div>
      )}
    </section>
  );
}
