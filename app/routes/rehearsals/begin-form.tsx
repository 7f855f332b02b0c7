import { durationWords, sizeWords } from "#core/wording/amounts.ts";
import { useAddress } from "../../frame/question-link.ts";
import { useMayAct } from "../../frame/who.ts";
import { momentWords } from "../../frame/zoned.ts";
import { Button } from "../../ui/button.tsx";
import { Choice } from "../../ui/choice.tsx";
import { Field } from "../../ui/field.tsx";
import { Notice } from "../../ui/notice.tsx";
import { useSettling } from "../../ui/use-settling.ts";
import { Sheet } from "../../ui/sheet.tsx";
import { useSchemaForm } from "../../ui/use-schema-form.ts";
import { beginForm } from "./forms.ts";
import type { RehearsalsView } from "./rehearsals-view.ts";

/** Chooses what to rehearse and shows at once what that would take, what comes along and what is refused. */
export function BeginForm({ view, zone }: { view: RehearsalsView; zone: string }) {
  const mayAct = useMayAct();
  const change = useAddress();
  const { Form, form, fields, busy, error } = useSchemaForm(beginForm, () => undefined);
  const [chosen, setChosen] = useSettling(view.choices.filter((c) => c.chosen).map((c) => c.id));
  const set = (ids: string[]): void => {
    setChosen(ids);
    change({ service: ids }, true);
  };
  const { proposal } = view;
  const possible = proposal?.services.filter((s) => s.reason === null) ?? [];
  return (
    <>
      <h1>Rehearse: {view.lostNames || "nothing"} lost</h1>
      <p className="text-soft">
        From the surviving stores alone, in an enclave apart from production, with the points as of {momentWords(view.at, zone)}
        {view.ahead && " (a rehearsal takes points there are, so the needle's place ahead of now is not used)"}.
      </p>
      {view.lost.length === 0 || !view.choices.some((c) => c.down) ? (
        <p className="mt-4">
          <Notice kind="know">Nothing is down in this outage. Choose another loss above, or pick services below to rehearse their recovery anyway.</Notice>
        </p>
      ) : null}
      <Form method="post" action="/rehearsals" id={form.id} onSubmit={form.onSubmit} noValidate className="mt-4 grid gap-6 lg:grid-cols-[16rem_minmax(0,1fr)]">
        <input type="hidden" name="act" value="begin" />
        <input type="hidden" name="at" value={view.at} />
        {view.lost.map((id) => (
          <input key={id} type="hidden" name="lost" value={id} />
        ))}
        <div className="space-y-4">
          <fieldset>
            <legend className="text-sm font-semibold">Services</legend>
            {view.choices.map((c) => (
              <Choice
                key={c.id}
                type="checkbox"
                name="services"
                value={c.id}
                checked={chosen.includes(c.id)}
                onChange={(e) => set(e.target.checked ? [...chosen, c.id] : chosen.filter((id) => id !== c.id))}
                aside={c.down ? `tier ${c.tier}` : "stays up"}
              >
                {c.name}
              </Choice>
            ))}
            {fields["services"]!.errors && <p className="text-sm text-late">{fields["services"]!.errors.join(" ")}</p>}
          </fieldset>
          <fieldset>
            <legend className="text-sm font-semibold">People's steps</legend>
            <Choice type="radio" name="hands" value="crew" defaultChecked>
              by the stand-in crew
            </Choice>
            <Choice type="radio" name="hands" value="people">
              ticked by hand
            </Choice>
          </fieldset>
          <Field id="begin-reason" name="reason" label="Why" errors={fields["reason"]!.errors} autoComplete="off" required />
          {error && <Notice kind="wrong">{error}</Notice>}
          <Button kind="act" type="submit" disabled={!mayAct || busy || possible.length === 0}>
            Begin the rehearsal
          </Button>
          {!mayAct && <p className="text-xs text-soft">Observers may look, not act.</p>}
        </div>
        <div>
          {proposal ? (
            <>
              <h2 className="border-b border-line-strong pb-0.5">What it would do{possible.length > 0 ? `: done after ${durationWords(proposal.end)}, projected` : ""}</h2>
              {proposal.notes.map((note) => (
                <Notice key={note} kind="know">
                  {note}
                </Notice>
              ))}
              <Sheet heads={["Service", "Answers after", "Machines from their copies"]}>
                {proposal.services.map((s) => (
                  <tr key={s.id}>
                    <th scope="row" className="text-ink!">
                      {s.name}
                      {!s.asked && (
                        <span className="block text-xs font-normal text-soft">
                          comes along{s.alive ? ": it is alive elsewhere, but nothing outside is reached from inside" : ""}
                        </span>
                      )}
                    </th>
                    <td className="figures">{s.reason === null && s.serviceable !== null ? durationWords(s.serviceable) : "–"}</td>
                    <td>
                      {s.reason !== null ? (
                        <span className="text-late">refused: {s.reason}</span>
                      ) : (
                        s.machines.map((m) => (
                          <span key={m.id} className="block">
                            <span className="figures">{m.id}</span>{" "}
                            <span className="text-soft">
                              of {momentWords(m.capturedAt, zone)}, {sizeWords(m.bytes)}, onto {m.host}
                            </span>
                          </span>
                        ))
                      )}
                    </td>
                  </tr>
                ))}
              </Sheet>
            </>
          ) : (
            <p className="text-soft">Choose the services to rehearse; what they need comes along.</p>
          )}
        </div>
      </Form>
    </>
  );
}
