import { useState } from "react";
import { Link, useFetcher } from "react-router";
import { countWords, durationWords } from "#core/wording/amounts.ts";
import { TimelineChart } from "../charts/timeline.tsx";
import { useLive } from "../frame/live.tsx";
import { useQuestionSearch } from "../frame/question-link.ts";
import { useMayAct } from "../frame/who.ts";
import { momentWords } from "../frame/zoned.ts";
import { Button } from "../ui/button.tsx";
import { Dialog } from "../ui/dialog.tsx";
import { Field } from "../ui/field.tsx";
import type { FormResult } from "../ui/form-result.ts";
import { Notice } from "../ui/notice.tsx";
import type { RunPage } from "./run-page.ts";
import { runRows } from "./run-rows.ts";

/** A run whose enclave is kept: how far it is, what waits for a hand, what stands inside. */
export function RunLive({ run, zone }: { run: RunPage; zone: string }) {
  const { clock } = useLive();
  const search = useQuestionSearch();
  const mayAct = useMayAct();
  const fetcher = useFetcher<FormResult>();
  const [releasing, setReleasing] = useState(false);
  const now = run.underWay ? clock.instant : (run.endedAt ?? clock.instant);
  const { rows, end } = runRows(run, now);
  const hands = run.steps.filter((s) => s.state === "hand" && s.tickedBy === null);
  const failed = run.steps.filter((s) => s.state === "failed");
  const submit = (act: string, more: Record<string, string> = {}): void => void fetcher.submit({ act, run: run.id, ...more }, { method: "post", action: "/rehearsals" });
  const done = run.steps.filter((s) => s.state === "done").length;
  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-4">
        <div>
          <h1>{run.title}</h1>
          <p className="text-soft" role="status">
            {run.result} {done} of {countWords(run.steps.length, "step")} done
            {run.beganAt !== null && `, ${durationWords((now - run.beganAt) / 1000)} since it began at ${momentWords(run.beganAt, zone)}`}.
          </p>
        </div>
        <span className="flex gap-2">
          {run.underWay && (
            <Button disabled={!mayAct || run.state === "stopping"} onClick={() => submit("stop")}>
              Stop the run
            </Button>
          )}
          {["stopped", "failed"].includes(run.state) && (
            <Button disabled={!mayAct} onClick={() => submit("go-on")}>
              Go on
            </Button>
          )}
          <Link to={`/records/${run.id}${search()}`} className="rounded-[3px] border border-line-strong bg-raised px-3 py-1 text-sm font-medium">
            Its record
          </Link>
          <Button kind="grave" disabled={!mayAct || run.underWay} onClick={() => setReleasing(true)}>
            Release the enclave
          </Button>
        </span>
      </div>
      {fetcher.data && "error" in fetcher.data && <Notice kind="wrong">{fetcher.data.error}</Notice>}
      {hands.length > 0 && (
        <section aria-labelledby="hands" className="mt-3 border-l-[3px] border-accent pl-3">
          <h2 id="hands">{countWords(hands.length, "step waits", "steps wait")} for a hand; time goes at the wall's pace meanwhile</h2>
          <ul className="mt-1 space-y-1 text-sm">
            {hands.map((s) => (
              <li key={s.id} className="flex items-center gap-3">
                <Button kind="act" disabled={!mayAct || fetcher.state !== "idle"} onClick={() => submit("tick", { step: s.id })}>
                  Done
                </Button>
                {s.title}
              </li>
            ))}
          </ul>
        </section>
      )}
      {failed.length > 0 && (
        <ul className="mt-3 space-y-1">
          {failed.map((s) => (
            <li key={s.id}>
              <Notice kind="wrong">
                <strong>{s.title}</strong> failed: {s.detail}
              </Notice>
            </li>
          ))}
        </ul>
      )}
      <div className="mt-2">
        <TimelineChart
          rows={rows}
          end={end * 1.02}
          origin="declared"
          strips={[]}
          {...(run.underWay && run.beganAt !== null ? { nowAt: (now - run.beganAt) / 1000 } : {})}
          renderName={(row) => <span className="block truncate pt-1.5 text-sm font-medium">{row.name}</span>}
        />
        <p className="mt-1 text-xs text-soft">
          Solid: done · accent: under way · framed: waits for a hand · dashed: still to come as projected · thin line beneath: as it was projected
        </p>
      </div>
      {run.enclave && <EnclaveContents enclave={run.enclave} zone={zone} />}
      <ReleaseDialog open={releasing} onOpenChange={setReleasing} run={run} submit={() => submit("release")} />
    </>
  );
}

function EnclaveContents({ enclave, zone }: { enclave: NonNullable<RunPage["enclave"]>; zone: string }) {
  return (
    <section aria-labelledby="inside" className="mt-5">
      <h2 id="inside" className="border-b border-line-strong pb-0.5">
        Inside the enclave
      </h2>
      <div className="mt-1 grid gap-6 text-sm lg:grid-cols-3">
        <div>
          <h3 className="text-xs text-soft">Machines</h3>
          {enclave.machines.map((m) => (
            <p key={m.id}>
              <span className="figures">{m.id}</span> {m.state} on {m.host}
            </p>
          ))}
          {enclave.machines.length === 0 && <p className="text-soft">none yet</p>}
        </div>
        <div>
          <h3 className="text-xs text-soft">Names, switched inside only</h3>
          {enclave.names.map((n) => (
            <p key={n.name}>
              {n.name} → <span className="figures">{n.machines.join(", ")}</span>
            </p>
          ))}
          {enclave.names.length === 0 && <p className="text-soft">none yet</p>}
        </div>
        <div>
          <h3 className="text-xs text-soft">Messages, kept inside</h3>
          {enclave.messages.map((m) => (
            <p key={m.to + m.instant}>
              to {m.to}, {momentWords(m.instant, zone)}: {m.text}
            </p>
          ))}
          {enclave.messages.length === 0 && <p className="text-soft">none yet</p>}
        </div>
      </div>
    </section>
  );
}

/** Discarding wants the run's number typed. */
function ReleaseDialog({ open, onOpenChange, run, submit }: { open: boolean; onOpenChange: (open: boolean) => void; run: RunPage; submit: () => void }) {
  const [typed, setTyped] = useState("");
  const wanted = `run ${run.number}`;
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title={`Release the enclave of run ${run.number}`}
      about={`${countWords(run.enclave?.machines.length ?? 0, "machine")} and their disks inside it are discarded and cannot be looked at any more. The record of the run stays; no point in any store is touched.`}
    >
      <form
        onSubmit={(event) => {
          event.preventDefault();
          submit();
          onOpenChange(false);
        }}
      >
        <Field id="release-word" label={`Type “${wanted}” to release it`} value={typed} onChange={(e) => setTyped(e.target.value)} autoComplete="off" />
        <Button kind="grave" type="submit" className="mt-3" disabled={typed.trim().toLowerCase() !== wanted}>
          Discard the enclave
        </Button>
      </form>
    </Dialog>
  );
}
