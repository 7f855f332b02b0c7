import { useEffect, useState } from "react";
import { useFetcher } from "react-router";
import { countWords } from "#core/wording/amounts.ts";
import { useMayAct } from "../../../frame/who.ts";
import { momentWords } from "../../../frame/zoned.ts";
import { Button } from "../../../ui/button.tsx";
import { Field } from "../../../ui/field.tsx";
import type { FormResult } from "../../../ui/form-result.ts";
import { Notice } from "../../../ui/notice.tsx";
import { Pick } from "../../../ui/pick.tsx";
import type { ProposalsView } from "./queries.ts";

/** What the connections make one think of: accepted or dismissed, with a reason either way. */
export function ProposalsList({ proposals, base, zone, onDone }: { proposals: ProposalsView; base: number; zone: string; onDone: (words: string) => void }) {
  const fetcher = useFetcher<FormResult>();
  const mayAct = useMayAct();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  useEffect(() => {
    if (!result || !("done" in result)) return;
    setChosen(new Set());
    onDone(result.done);
    // Once for each reply.
  }, [result]);
  const { open, dismissed } = proposals;
  const present = open.filter((p) => chosen.has(p.key));
  const homeless = present.filter((p) => p.into.length > 1);
  const errors = (result && "error" in result && result.reply?.error) || {};
  const toggle = (key: string): void => setChosen((before) => new Set(before.has(key) ? [...before].filter((k) => k !== key) : [...before, key]));
  return (
    <section aria-label="What nobody wrote down" className="mt-3 max-w-5xl">
      <h2 className="text-base">
        {open.length === 0 ? "What was seen and what is declared agree" : `${countWords(open.length, "thing")} that nobody wrote down, or that nobody uses`}
      </h2>
      <p className="text-sm text-soft">
        {countWords(proposals.confirmed, "declared dependency is", "declared dependencies are")} borne out by connections of the last 90 days.
        {proposals.unknown > 0 && ` ${countWords(proposals.unknown, "connection")} of machines that the estate does not know say nothing here.`}
      </p>
      <ul className="mt-1 border-t border-line-strong">
        {open.map((p) => (
          <li key={p.key} className="border-b border-line py-1.5 text-sm">
            <label className="flex items-start gap-3">
              <input type="checkbox" className="mt-1 size-3.5 shrink-0 accent-(--accent)" checked={chosen.has(p.key)} onChange={() => toggle(p.key)} disabled={!mayAct} />
              <span>
                {p.sentence} <span className="text-soft">{p.proposal}</span>
                {p.evidence && (
                  <span className="block text-xs text-soft">
                    Seen <span className="figures">{p.evidence.connections}</span> times, last {momentWords(p.evidence.lastSeen, zone)}, on {p.evidence.ports}:{" "}
                    <span className="figures">{p.evidence.machines}</span>
                  </span>
                )}
              </span>
            </label>
          </li>
        ))}
      </ul>
      {open.length > 0 && mayAct && (
        <fetcher.Form method="post" action="/estate/proposals" className="mt-2 flex flex-wrap items-end gap-3" noValidate>
          <input type="hidden" name="keys" value={present.map((p) => p.key).join(" ")} />
          <input type="hidden" name="base" value={base} />
          {homeless.length > 0 && <Pick id="proposal-into" name="into" label="Part of" options={homeless[0]!.into} errors={errors["into"] ?? undefined} />}
          <Field id="proposal-reason" name="reason" label="Why" className="w-80" errors={errors["reason"] ?? undefined} autoComplete="off" required />
          <Button kind="act" type="submit" name="act" value="accept" disabled={present.length === 0 || fetcher.state !== "idle"}>
            Accept {present.length > 0 ? present.length : ""}
          </Button>
          <Button type="submit" name="act" value="dismiss" disabled={present.length === 0 || fetcher.state !== "idle"}>
            Dismiss
          </Button>
        </fetcher.Form>
      )}
      {result && "error" in result && !result.reply && <Notice kind="wrong">{result.error}</Notice>}
      {dismissed.length > 0 && (
        <details className="mt-2 text-sm">
          <summary className="cursor-default text-soft">{countWords(dismissed.length, "proposal")} dismissed</summary>
          <ul>
            {dismissed.map((p) => (
              <li key={p.key} className="border-b border-line py-1">
                {p.sentence}{" "}
                <span className="text-soft">
                  Dismissed by {p.dismissal.by}, {momentWords(p.dismissal.at, zone)}: “{p.dismissal.reason}”.
                </span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}
