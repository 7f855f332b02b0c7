import { Link, redirect } from "react-router";
import { durationWords } from "#core/wording/amounts.ts";
import { startRehearsal } from "#server/acts/runs.ts";
import { load, perform } from "../../context.ts";
import { askedQuestion, useQuestionSearch } from "../../frame/question-link.ts";
import { Workplace } from "../../frame/workplace.tsx";
import { momentWords } from "../../frame/zoned.ts";
import { actOnRun } from "../../runs/run-actions.ts";
import { RunLive } from "../../runs/run-live.tsx";
import { type FormResult, readForm } from "../../ui/form-result.ts";
import { NoEstate } from "../readiness/no-estate.tsx";
import { orUnanswered } from "../../ui/or-unanswered.ts";
import type { Route } from "./+types/route";
import { BeginForm } from "./begin-form.tsx";
import { beginForm } from "./forms.ts";
import { readRehearsals } from "./queries.ts";

export const meta: Route.MetaFunction = () => [{ title: "Rehearsals · Ypostasis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => ({
    view: await readRehearsals(context.app, who.organisationId, askedQuestion(request), new URL(request.url).searchParams.getAll("service")),
    zone: who.timeZone,
  }));
}

export const action = ({ request, context }: Route.ActionArgs) =>
  perform(context, request, async (person): Promise<FormResult> => {
    const form = await request.formData();
    if (form.get("act") !== "begin") return actOnRun(context.app, person, form);
    const read = readForm(beginForm, form);
    if ("wrong" in read) return read.wrong;
    const { services, hands, reason } = read.values;
    const lost = form.getAll("lost").map(String);
    const at = Number(form.get("at"));
    await startRehearsal({ app: context.app, person }, { lost, services, byHand: hands === "people", reason, at: Number.isFinite(at) && at > 0 ? at : null });
    throw redirect("/rehearsals");
  });

export const clientAction = ({ serverAction }: Route.ClientActionArgs) => orUnanswered(serverAction);

export default function Rehearsals({ loaderData: { view, zone } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  if (!view) return <NoEstate />;
  return (
    <Workplace label="Rehearsals">
      {view.current ? <RunLive run={view.current} zone={zone} /> : <BeginForm view={view} zone={zone} />}
      <section aria-labelledby="earlier" className="mt-8">
        <h2 id="earlier" className="border-b border-line-strong pb-0.5">
          Earlier rehearsals
        </h2>
        {view.others.length === 0 ? (
          <p className="mt-1 text-sm text-soft">
            None yet. “I know it will fire up” is not proof: a rehearsal brings machines back for real in an enclave and measures every step.
          </p>
        ) : (
          <ul className="mt-1 text-sm">
            {view.others.map((r) => (
              <li key={r.id} className="border-b border-line py-1">
                <Link className="plain-link" to={`/records/${r.id}${search()}`}>
                  Run {r.number}
                </Link>{" "}
                {r.lost} lost, {r.beganAt === null ? "not begun" : `${momentWords(r.beganAt, zone)} (${durationWords((view.now - r.beganAt) / 1000)} ago)`} · {r.state} ·{" "}
                <span className="text-soft">{r.why}</span>
              </li>
            ))}
          </ul>
        )}
      </section>
    </Workplace>
  );
}
