import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { LEVEL_MEANS } from "#core/estate/security-category.ts";
import { GRADE_WORDS } from "#core/runbook/proof.ts";
import { countWords, durationWords, listWords } from "#core/wording/amounts.ts";
import { daysText } from "#formats/estate/service-lines.ts";
import { writeClock } from "#formats/estate/quantities.ts";
import { ImpactSteps } from "../../../charts/impact-steps.tsx";
import { Ruler, RulerAxis, RulerScaleProvider, Textures } from "../../../charts/ruler.tsx";
import { rulerScale } from "../../../charts/ruler-scale.ts";
import { load } from "../../../context.ts";
import { useLive } from "../../../frame/live.tsx";
import { askedQuestion, useQuestionSearch } from "../../../frame/question-link.ts";
import { useMayAct } from "../../../frame/who.ts";
import { Workplace } from "../../../frame/workplace.tsx";
import { momentWords } from "../../../frame/zoned.ts";
import { Button } from "../../../ui/button.tsx";
import { Fact } from "../../../ui/fact.tsx";
import { Sheet } from "../../../ui/sheet.tsx";
import { rulerLine, verdictTone } from "../../readiness/ruler-line.ts";
import { EstateNav } from "../estate-nav.tsx";
import { ItemChange } from "../item-change.tsx";
import type { Route } from "./+types/service";
import { ChecksSection } from "./checks-section.tsx";
import { readService, type ServiceView } from "./queries.ts";
import { DescribeDialog, RemoveDialog, textsOf } from "./service-dialogs.tsx";

export const meta: Route.MetaFunction = ({ params }) => [{ title: `${params.service} · Estate · Ypostasis` }];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const view = await readService(context.app, who.organisationId, askedQuestion(request), params.service);
    if (!view) throw new Response("The estate has no such service", { status: 404 });
    return { view, zone: who.timeZone };
  });
}

export default function ServicePage({ loaderData: { view, zone } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  const mayAct = useMayAct();
  const [describing, setDescribing] = useState(false);
  const [removing, setRemoving] = useState(false);
  const [told, setTold] = useState<string | null>(null);
  useLive();
  const { service: s, row } = view;
  const tone = verdictTone(row.verdict);
  const scale = rulerScale(Math.max(row.loss?.seconds ?? 0, s.rpo), Math.max(row.recovery?.serviceable ?? 0, s.rto, s.mtd ?? 0, s.impact.at(-1)?.after ?? 0));
  return (
    <Workplace label={`Service ${s.name}`}>
      <Textures />
      <div className="flex flex-wrap items-start justify-between gap-3">
        <h1>{s.name}</h1>
        <div className="flex gap-2">
          <Button disabled={!mayAct} onClick={() => setDescribing(true)}>
            Describe
          </Button>
          <Button kind="grave" disabled={!mayAct} onClick={() => setRemoving(true)}>
            Take out
          </Button>
        </div>
      </div>
      <EstateNav shown="services" />
      {told && (
        <p role="status" className="mt-1 text-sm text-soft">
          {told}
        </p>
      )}
      <p className="mt-2 text-sm text-soft">If {listWords(view.reason)} were lost at the needle:</p>
      <p className={`text-lg ${tone} ${tone === "text-late" ? "font-semibold" : ""}`}>{row.sentence}</p>
      <div className="mt-1 max-w-5xl">
        <RulerScaleProvider scale={scale}>
          <RulerAxis />
          <div
            role="img"
            aria-label={`Data lost ${row.loss ? durationWords(row.loss.seconds) : "none"} of ${durationWords(s.rpo)}, away ${row.recovery ? durationWords(row.recovery.serviceable) : "not known"} of ${durationWords(s.rto)}`}
          >
            <Ruler line={rulerLine(row)} height={72} />
          </div>
          {s.impact.length > 0 && <ImpactSteps impact={s.impact} away={row.recovery?.serviceable ?? null} scale={scale} />}
        </RulerScaleProvider>
      </div>
      {view.faults.map((f) => (
        <p key={f.sentence} className="mt-1 text-sm text-late">
          {f.sentence} <span className="text-soft">{f.remedy}</span>
        </p>
      ))}
      <div className="mt-4 grid gap-x-10 gap-y-5 pb-6 xl:grid-cols-2">
        <Targets view={view} />
        <ChecksSection view={view} zone={zone} />
        <Leans view={view} />
        <Machines view={view} zone={zone} />
        <Since view={view} zone={zone} />
      </div>
      <p className="pb-4 text-sm">
        <Link className="plain-link" to={`/runbooks${search({ service: s.id })}`}>
          Its place in the runbook
        </Link>{" "}
        ·{" "}
        <Link className="plain-link" to={`/rehearsals${search({ service: s.id })}`}>
          Rehearse it
        </Link>
      </p>
      <DescribeDialog
        open={describing}
        isNew={false}
        texts={textsOf(view)}
        base={view.base}
        onOpenChange={setDescribing}
        onDone={(words) => {
          setDescribing(false);
          setTold(words);
        }}
      />
      <RemoveDialog open={removing} service={s} neededBy={view.neededBy.map((n) => n.name)} base={view.base} onOpenChange={setRemoving} />
    </Workplace>
  );
}

const Part = ({ title, children }: { title: string; children: ReactNode }) => (
  <section aria-label={title}>
    <h2 className="text-base">{title}</h2>
    {children}
  </section>
);

function Targets({ view }: { view: ServiceView }) {
  const { service: s, row, category, needed } = view;
  const both = s.rto + s.wrt;
  const normal = row.recovery ? row.recovery.serviceable + s.wrt : null;
  return (
    <Part title="What it is to withstand">
      <dl className="text-sm">
        <Fact what={`RTO ${durationWords(s.rto)}, RPO ${durationWords(s.rpo)}`}>
          Tier {s.tier}, owned by the {s.owner}
        </Fact>
        <Fact what={s.mtd === null ? "MTD not stated" : `MTD ${durationWords(s.mtd)}`}>
          {s.mtd === null
            ? `RTO and WRT (${durationWords(s.wrt)}) take ${durationWords(both)}.`
            : `RTO and WRT (${durationWords(s.wrt)}) take ${durationWords(both)} of it: ${durationWords(s.mtd - both)} to spare.`}
          {normal !== null &&
            ` As projected, business is normal after ${durationWords(normal)}${s.mtd !== null && normal > s.mtd ? `, ${durationWords(normal - s.mtd)} past the MTD` : ""}.`}
        </Fact>
        <Fact what="Hours that matter">
          {s.hours.length === 0
            ? "Always."
            : `${s.hours.map((h) => `days ${daysText(h.days)}, ${writeClock(h.from)} to ${writeClock(h.to)}`).join("; ")}. The needle stands ${needed.now ? "within" : "outside"} them.`}
          {needed.away !== null && s.hours.length > 0 && ` Of the time away ${needed.away === 0 ? "none" : durationWords(needed.away)} falls into them.`}
        </Fact>
        <Fact what="What is felt">
          {s.impact.length === 0 ? (
            "Not written down: ask the owner what is felt after an hour, a day, a week."
          ) : (
            <ul>
              {s.impact.map((i) => (
                <li key={i.after}>
                  after {durationWords(i.after)}: {i.what}
                  {i.level && ` (${i.level})`}
                </li>
              ))}
            </ul>
          )}
        </Fact>
        {category && (
          <Fact what={`Security category ${category.overall} (FIPS 199)`}>
            confidentiality {category.confidentiality}, integrity {category.integrity}, availability {category.availability}: {LEVEL_MEANS[category.overall]}
            {category.carried && category.carried !== category.availability && `. With what hangs on it, its availability carries ${category.carried}`}
          </Fact>
        )}
        <Fact what="Contacts">{s.contacts.length === 0 ? "None written down." : s.contacts.map((c) => `${c.role}: ${c.reach}`).join("; ")}</Fact>
        <Fact what={`Found by ${s.serviceName}`}>Told when it is back: {s.tell}</Fact>
      </dl>
    </Part>
  );
}

function Leans({ view }: { view: ServiceView }) {
  const search = useQuestionSearch();
  const side = (items: ServiceView["needs"]): ReactNode =>
    items.length === 0
      ? "nothing"
      : items.map((d, i) => (
          <span key={d.id}>
            {i > 0 && ", "}
            <Link className="plain-link" to={`/estate/services/${d.id}${search()}`}>
              {d.name}
            </Link>
            {d.strength === "soft" && " (soft)"}
          </span>
        ));
  return (
    <Part title="What it hangs on">
      <dl className="text-sm">
        <Fact what="It needs">{side(view.needs)}</Fact>
        <Fact what="Needed by">{side(view.neededBy)}</Fact>
        {view.groups.map((g) => (
          <Fact key={g.id} what={`Comes back to one instant: ${g.name}`}>
            {listWords(g.machines)}, at most {durationWords(g.within)} apart
          </Fact>
        ))}
      </dl>
      <p className="mt-1 text-sm">
        <Link className="plain-link" to={`/estate/dependencies${search({ service: view.service.id, focus: "around" })}`}>
          Drawn, both ways
        </Link>
      </p>
    </Part>
  );
}

function Machines({ view, zone }: { view: ServiceView; zone: string }) {
  const search = useQuestionSearch();
  return (
    <Part title="Machines and their copies">
      {view.service.copiesIn && <p className="text-sm text-soft">Copies may lie in {listWords(view.service.copiesIn)} only.</p>}
      {view.machines.length === 0 ? (
        <p className="text-sm text-soft">No machine is named: nothing would be brought back for it.</p>
      ) : (
        <Sheet heads={["Machine", "Stands at", "Copied to", "Would come back"]}>
          {view.machines.map((m) => (
            <tr key={m.id}>
              <th scope="row">
                <Link className="plain-link figures" to={`/estate/machines/${m.id}${search()}`}>
                  {m.name}
                </Link>
              </th>
              <td>{m.site}</td>
              <td>{m.stores.length === 0 ? "nowhere" : m.stores.join(", ")}</td>
              <td>{m.capturedAt === null ? "not in this loss" : `as of ${momentWords(m.capturedAt, zone)} from ${m.from}, onto ${m.onto}`}</td>
            </tr>
          ))}
        </Sheet>
      )}
    </Part>
  );
}

/** Whether the last proof still says something of what there is today. */
function Since({ view, zone }: { view: ServiceView; zone: string }) {
  const search = useQuestionSearch();
  const { since } = view;
  const proof = view.row.proof;
  return (
    <Part title="Since its last rehearsal">
      {!since || !proof ? (
        <p className="text-sm text-soft">It was never rehearsed, so nothing proves that it comes back.</p>
      ) : (
        <>
          <p className="text-sm">
            <Link className="plain-link" to={`/records/${since.run}${search()}`}>
              Run {since.number}
            </Link>{" "}
            began {momentWords(since.at, zone)} and took {durationWords(proof.seconds)} to serviceable; {GRADE_WORDS[proof.grade]}.{" "}
            {since.total === 0
              ? "Nothing has changed in it or under it since: the proof holds."
              : `${countWords(since.total, "thing has", "things have")} changed in it or under it since: judge what the proof is worth.`}
          </p>
          <ul className="mt-1 space-y-1 text-sm">
            {since.changes.map((c) => (
              <ItemChange key={`${c.kind}/${c.id}`} {...c} />
            ))}
          </ul>
          {since.total > since.changes.length && <p className="text-sm text-soft">The first {since.changes.length} are shown.</p>}
        </>
      )}
    </Part>
  );
}
