import { useEffect } from "react";
import { useFetcher } from "react-router";
import type { CheckKind } from "#core/estate/model.ts";
import { durationWords } from "#core/wording/amounts.ts";
import { useMayAct } from "../../../frame/who.ts";
import { momentWords } from "../../../frame/zoned.ts";
import { Button } from "../../../ui/button.tsx";
import { Field } from "../../../ui/field.tsx";
import type { FormResult } from "../../../ui/form-result.ts";
import { Notice } from "../../../ui/notice.tsx";
import { Sheet } from "../../../ui/sheet.tsx";
import type { ServiceView } from "./queries.ts";

const KIND_WORDS: Record<CheckKind, string> = { http: "HTTP", tcp: "TCP", name: "name look-up", "sign-in": "sign-in", outside: "way to the outside", command: "command" };

/** What proves that the service is up, how it went when it was last tried, and trying it now. */
export function ChecksSection({ view, zone }: { view: ServiceView; zone: string }) {
  const fetcher = useFetcher<FormResult>();
  const mayAct = useMayAct();
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  const signsIn = view.service.checks.some((c) => c.kind === "sign-in");
  return (
    <section aria-label="Checks">
      <div className="flex items-baseline justify-between gap-4">
        <h2 className="text-base">What proves it is up</h2>
        <fetcher.Form method="post" action="/estate/services">
          <input type="hidden" name="act" value="try" />
          <input type="hidden" name="id" value={view.service.id} />
          <Button type="submit" disabled={!mayAct || fetcher.state !== "idle"}>
            {fetcher.state === "idle" ? "Try all now" : "Trying …"}
          </Button>
        </fetcher.Form>
      </div>
      <Sheet heads={["Check", "Of", "In a run", "When last tried"]}>
        {view.checks.map(({ check, trial }, i) => (
          <tr key={i}>
            <th scope="row">{KIND_WORDS[check.kind]}</th>
            <td className="[overflow-wrap:anywhere]">
              {check.to ?? view.service.serviceName}
              {check.machine && <span className="figures text-soft"> on {check.machine}</span>}
            </td>
            <td className="figures whitespace-nowrap">{durationWords(check.seconds)}</td>
            <td className={trial ? (trial.good ? "" : "text-late") : "text-soft"}>
              {trial ? `${trial.good ? "good" : "wrong"} in ${trial.milliseconds} ms: ${trial.words}` : "never tried as it stands"}
            </td>
          </tr>
        ))}
      </Sheet>
      <p role="status" className="mt-1 text-xs text-soft">
        {result && "done" in result
          ? result.done
          : view.triedAt !== null
            ? `Tried ${momentWords(view.triedAt, zone)}.`
            : "Tried from this server; what is inside a machine is tried by its platform."}
      </p>
      {result && "error" in result && <Notice kind="wrong">{result.error}</Notice>}
      {signsIn && <AccountForm id={view.service.id} hasAccount={view.hasAccount} mayAct={mayAct} />}
    </section>
  );
}

/** The account of sign-in checks; a password that was given is never shown again. */
function AccountForm({ id, hasAccount, mayAct }: { id: string; hasAccount: boolean; mayAct: boolean }) {
  const fetcher = useFetcher<FormResult>();
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  const errors = (result && "error" in result && result.reply?.error) || {};
  useEffect(() => {
    if (result && "done" in result) (document.getElementById("check-account-form") as HTMLFormElement | null)?.reset();
  }, [result]);
  return (
    <details className="mt-2 text-sm">
      <summary className="cursor-default text-soft">{hasAccount ? "An account to sign in with is kept, sealed." : "No account to sign in with is kept yet."} Give another</summary>
      <fetcher.Form id="check-account-form" method="post" action="/estate/services" className="mt-2 flex flex-wrap items-end gap-3" noValidate>
        <input type="hidden" name="act" value="account" />
        <input type="hidden" name="id" value={id} />
        <Field id="check-account" name="account" label="Account" autoComplete="off" className="w-40" errors={errors["account"] ?? undefined} />
        <Field id="check-password" name="password" type="password" label="Password" autoComplete="new-password" className="w-40" errors={errors["password"] ?? undefined} />
        <Button type="submit" disabled={!mayAct || fetcher.state !== "idle"}>
          Keep it
        </Button>
        {result && "error" in result && !result.reply && <Notice kind="wrong">{result.error}</Notice>}
        {result && "done" in result && <span role="status">{result.done}</span>}
      </fetcher.Form>
    </details>
  );
}
