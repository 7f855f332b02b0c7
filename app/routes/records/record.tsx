import { data, Link } from "react-router";
import { durationWords, sizeWords } from "#core/wording/amounts.ts";
import { TimelineChart } from "../../charts/timeline.tsx";
import { load, perform } from "../../context.ts";
import { useQuestionSearch } from "../../frame/question-link.ts";
import { useMayAct } from "../../frame/who.ts";
import { Workplace } from "../../frame/workplace.tsx";
import { fullWords, momentWords } from "../../frame/zoned.ts";
import { actOnRun } from "../../runs/run-actions.ts";
import { confirmForm } from "../../runs/forms.ts";
import { readRun, type RunPage } from "../../runs/run-page.ts";
import { runRows } from "../../runs/run-rows.ts";
import { Button } from "../../ui/button.tsx";
import { Field } from "../../ui/field.tsx";
import { Notice } from "../../ui/notice.tsx";
import { useSchemaForm } from "../../ui/use-schema-form.ts";
import { orUnanswered } from "../../ui/or-unanswered.ts";
import { Sheet } from "../../ui/sheet.tsx";
import type { Route } from "./+types/record";

export const meta: Route.MetaFunction = ({ loaderData }) => [{ title: `${loaderData?.run.title ?? "Record"} · Ypostasis` }];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const run = await readRun(context.app, who.organisationId, params.run);
    if (!run) throw data({ sentence: "There is no such run here. Records lists those there are." }, { status: 404 });
    return { run, zone: who.timeZone, now: await context.app.world.now() };
  });
}

export const action = ({ request, context }: Route.ActionArgs) => perform(context, request, async (person) => actOnRun(context.app, person, await request.formData()));

export const clientAction = ({ serverAction }: Route.ClientActionArgs) => orUnanswered(serverAction);

export default function Record({ loaderData: { run, zone, now } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  const { rows, end } = runRows(run, run.endedAt ?? now);
  return (
    <Workplace label="Record">
      <p className="no-print text-sm">
        <Link className="plain-link" to={`/records${search()}`}>
          Records
        </Link>
      </p>
      <div className="flex flex-wrap items-start justify-between gap-4">
        <div>
          <h1>{run.title}</h1>
          <p className="text-soft">{run.result}</p>
        </div>
        <Button className="no-print" onClick={() => window.print()}>
          Print
        </Button>
      </div>
      <dl className="mt-2 grid grid-cols-[auto_1fr] gap-x-4 text-sm">
        <Fact name="Who, why">
          {run.who}: {run.why}
        </Fact>
        <Fact name="Strike assumed">{momentWords(run.struckAt, zone)}</Fact>
        <Fact name="Began (declared)">
          {run.beganAt === null ? "not yet" : <span title={fullWords(run.beganAt, zone)}>{momentWords(run.beganAt, zone)}</span>}
          {run.beganAt !== null && run.endedAt !== null && `, ended after ${durationWords((run.endedAt - run.beganAt) / 1000)}`}
          <span className="text-soft"> · wall clock {momentWords(Date.parse(run.beganWall), zone)}</span>
        </Fact>
        <Fact name="People's steps">{run.byHand ? "ticked by hand" : "by the stand-in crew"}</Fact>
        <Fact name="Enclave">{run.enclaveState === "kept" ? "kept" : "discarded"}</Fact>
      </dl>
      {run.notes.map((note) => (
        <Notice key={note} kind="know">
          {note}
        </Notice>
      ))}

      <section aria-labelledby="services" className="mt-5">
        <h2 id="services" className="border-b border-line-strong pb-0.5">
          Services
        </h2>
        <p className="mt-1 text-xs text-soft">
          A rehearsal measures from declared to serviceable. From the strike it would be that with the assumed opening added: detection {durationWords(run.before.detection)},
          decision {durationWords(run.before.decision)}
          {run.before.coordinator > 0 && `, the coordinator's return ${durationWords(run.before.coordinator)}`}.
        </p>
        <Sheet heads={["Service", "Projected", "Measured", "From the strike", "RTO", "Data lost", "RPO", "Proof"]}>
          {run.services.map((s) => (
            <tr key={s.service}>
              <th scope="row" className="text-ink!">
                {s.name}
                {!s.asked && <span className="block text-xs font-normal text-soft">came along</span>}
              </th>
              {s.state === "cannot" ? (
                <td colSpan={7} className="text-late">
                  could not be rehearsed: {s.reason}
                </td>
              ) : (
                <>
                  <td className="figures">{s.projectedSeconds === null ? "–" : durationWords(s.projectedSeconds)}</td>
                  <td className="figures font-semibold">{s.measuredSeconds === null ? "–" : s.measuredWords}</td>
                  <td className={`figures ${s.fromStrike !== null && s.fromStrike > s.rto ? "font-semibold text-late" : ""}`}>
                    {s.fromStrike === null ? "–" : durationWords(s.fromStrike)}
                  </td>
                  <td className="figures">{durationWords(s.rto)}</td>
                  <td className={`figures ${s.lossSeconds !== null && s.lossSeconds > s.rpo ? "font-semibold text-late" : ""}`}>
                    {s.lossSeconds === null ? "–" : durationWords(s.lossSeconds)}
                  </td>
                  <td className="figures">{durationWords(s.rpo)}</td>
                  <td>
                    {s.gradeWords}
                    {s.confirmedBy && <span className="block text-xs text-soft">on the word of {s.confirmedBy}</span>}
                    {s.grade === "answers" && <Confirm run={run} service={s.service} name={s.name} />}
                  </td>
                </>
              )}
            </tr>
          ))}
        </Sheet>
      </section>

      <section aria-labelledby="times" className="mt-6">
        <h2 id="times" className="sr-only">
          Projected and measured
        </h2>
        <TimelineChart
          rows={rows}
          end={end * 1.02}
          origin="declared"
          strips={[]}
          renderName={(row) => <span className="block truncate pt-1.5 text-sm font-medium">{row.name}</span>}
        />
      </section>

      <section aria-labelledby="steps" className="mt-6">
        <h2 id="steps" className="border-b border-line-strong pb-0.5">
          Every step
        </h2>
        <Sheet heads={["Step", "Projected", "Measured", "Result", "What happened"]}>
          {[...run.steps]
            .sort((a, b) => (a.startedAt ?? Infinity) - (b.startedAt ?? Infinity) || a.projectedStart - b.projectedStart)
            .map((s) => (
              <tr key={s.id}>
                <td>{s.title}</td>
                <td className="figures">{durationWords(s.projectedFinish - s.projectedStart)}</td>
                <td className="figures">{s.startedAt !== null && s.finishedAt !== null && s.state !== "skipped" ? durationWords((s.finishedAt - s.startedAt) / 1000) : "–"}</td>
                <td className={s.state === "failed" || s.state === "skipped" ? "font-semibold text-late" : ""}>{s.state}</td>
                <td>
                  {s.detail}
                  {s.substitutions.map((words) => (
                    <span key={words} className="block text-tight">
                      {words}
                    </span>
                  ))}
                </td>
              </tr>
            ))}
        </Sheet>
      </section>

      <section aria-labelledby="points" className="mt-6 pb-6">
        <h2 id="points" className="border-b border-line-strong pb-0.5">
          Points used
        </h2>
        <Sheet heads={["Machine", "Captured", "Id", "Brought back", "From", "Onto"]}>
          {run.machines.map((m) => (
            <tr key={m.machine}>
              <th scope="row" className="figures font-normal text-ink!">
                {m.machine}
              </th>
              <td>{momentWords(m.capturedAt, zone)}</td>
              <td className="figures">{m.point.slice(0, 12)}</td>
              <td className="figures">{sizeWords(m.dataBytes)}</td>
              <td>{m.stores.join(", else ")}</td>
              <td>{m.host}</td>
            </tr>
          ))}
        </Sheet>
      </section>
    </Workplace>
  );
}

function Fact({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <>
      <dt className="text-soft">{name}</dt>
      <dd>{children}</dd>
    </>
  );
}

function Confirm({ run, service, name }: { run: RunPage; service: string; name: string }) {
  const mayAct = useMayAct();
  const { Form, form, fields, busy, error } = useSchemaForm(confirmForm, () => undefined);
  if (!mayAct || run.enclaveState === "discarded") return null;
  return (
    <details className="no-print">
      <summary className="cursor-pointer text-xs text-accent" aria-label={`note who confirmed its data: ${name}`}>
        note who confirmed its data
      </summary>
      <Form method="post" action={`/records/${run.id}`} id={form.id} onSubmit={form.onSubmit} noValidate className="mt-1 flex items-end gap-2">
        <input type="hidden" name="act" value="confirm" />
        <input type="hidden" name="run" value={run.id} />
        <input type="hidden" name="service" value={service} />
        <Field id={`by-${service}`} name="byWhom" label="On whose word" errors={fields["byWhom"]!.errors} autoComplete="off" />
        <Button type="submit" disabled={busy}>
          Note it
        </Button>
      </Form>
      {error && <Notice kind="wrong">{error}</Notice>}
    </details>
  );
}
