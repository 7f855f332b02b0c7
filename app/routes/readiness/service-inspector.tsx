import { Link } from "react-router";
import { GRADE_WORDS } from "#core/runbook/proof.ts";
import { durationWords } from "#core/wording/amounts.ts";
import { Ruler, RulerAxis } from "../../charts/ruler.tsx";
import { useQuestionSearch } from "../../frame/question-link.ts";
import { fullWords, momentWords } from "../../frame/zoned.ts";
import { ChainList } from "../../runs/chain-list.tsx";
import { InspectorHead } from "../../ui/inspector-head.tsx";
import type { readReadiness } from "./queries.ts";
import { rulerLine, verdictTone } from "./ruler-line.ts";

type View = NonNullable<Awaited<ReturnType<typeof readReadiness>>>;

/** Why a service's figures are what they are. */
export function ServiceInspector({
  chosen,
  at,
  now,
  zone,
  assumptions,
  closeTo,
}: {
  chosen: NonNullable<View["chosen"]>;
  at: number;
  now: number;
  zone: string;
  assumptions: View["assumptions"];
  closeTo: string;
}) {
  const search = useQuestionSearch();
  const { recovery, loss, proof } = chosen;
  const tone = verdictTone(chosen.verdict);
  return (
    <div className="text-sm">
      <InspectorHead name={chosen.name} closeTo={closeTo} />
      <p className="text-soft">
        Tier {chosen.tier} · {chosen.owner} · RTO {durationWords(chosen.rto)} · RPO {durationWords(chosen.rpo)}
        {chosen.mtd !== null && ` · MTD ${durationWords(chosen.mtd)}`}
      </p>
      <p className={`figures mt-3 text-xl font-semibold ${tone}`}>{recovery ? durationWords(recovery.serviceable) : chosen.verdict === "stays-up" ? "stays up" : "–"}</p>
      <p className={`${tone} ${tone === "text-late" ? "font-semibold" : ""}`}>{chosen.sentence}</p>
      <div className="mt-2">
        <RulerAxis />
        <Ruler line={rulerLine(chosen)} height={48} />
      </div>
      {loss && (
        <p className="mt-1">
          <span className="figures font-semibold">{durationWords(loss.seconds)}</span> of data lost: the newest surviving copy is of{" "}
          <span title={fullWords(loss.capturedAt, zone)}>{momentWords(loss.capturedAt, zone)}</span>
          {loss.predicted && ", by schedule"}.
        </p>
      )}

      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">Why</h3>
      <ul className="mt-1 space-y-1">
        {chosen.reasons.map((reason) => (
          <li key={reason}>{reason}</li>
        ))}
      </ul>

      {recovery && (
        <>
          <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">From the strike</h3>
          <dl className="mt-1 grid grid-cols-[1fr_auto] gap-y-0.5">
            <Stretch words={`detected (assumed ${durationWords(assumptions.detection)})`} seconds={recovery.detected} />
            <Stretch words={`declared (assumed ${durationWords(assumptions.decision)})`} seconds={recovery.declared} />
            {recovery.coordinatorReady > recovery.declared && (
              <Stretch words={`coordinator ready (assumed ${durationWords(recovery.coordinatorReady - recovery.declared)})`} seconds={recovery.coordinatorReady} />
            )}
            <Stretch words="serviceable" seconds={recovery.serviceable} strong />
            {chosen.wrt > 0 && <Stretch words={`business normal (WRT ${durationWords(chosen.wrt)})`} seconds={recovery.serviceable + chosen.wrt} />}
          </dl>
          <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">What decides it</h3>
          <ChainList chain={chosen.chain} />
        </>
      )}

      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">Machines</h3>
      <ul className="mt-1 space-y-1">
        {chosen.machines.map((m) => (
          <li key={m.id}>
            <Link className="plain-link figures" to={`/copies${search({ machine: m.id })}`}>
              {m.name}
            </Link>
            {m.capturedAt !== null && (
              <span className="block text-xs text-soft">
                {durationWords((at - m.capturedAt) / 1000)} old from {m.store}, onto {m.host}
              </span>
            )}
          </li>
        ))}
      </ul>
      {chosen.dependsOn.length > 0 && <p className="mt-2">Needs {chosen.dependsOn.map((d) => `${d.name}${d.strength === "soft" ? " (soft)" : ""}`).join(", ")}.</p>}

      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">Proof</h3>
      {proof ? (
        <p className="mt-1">
          Rehearsed{" "}
          <Link className="plain-link" to={`/records/${proof.run}${search()}`}>
            in run {proof.number}
          </Link>
          , {durationWords((now - proof.at) / 1000)} ago: {durationWords(proof.seconds)} from declared to serviceable, {GRADE_WORDS[proof.grade]}.{" "}
          {proof.withOpening !== null
            ? `With the assumed opening of ${durationWords(proof.withOpening - proof.seconds)} that is ${durationWords(proof.withOpening)}.`
            : "It was for another loss, so it is not drawn beside this projection."}
        </p>
      ) : (
        <p className="mt-1">
          Never rehearsed.{" "}
          <Link className="plain-link" to={`/rehearsals${search({ service: chosen.service })}`}>
            Rehearse it
          </Link>
        </p>
      )}
      <p className="mt-3">
        <Link className="plain-link" to={`/runbooks${search({ service: chosen.service })}`}>
          Its place in the runbook
        </Link>{" "}
        ·{" "}
        <Link className="plain-link" to={`/estate/services/${chosen.service}${search()}`}>
          All about it{proof && ", and what changed since its proof"}
        </Link>
      </p>
    </div>
  );
}

function Stretch({ words, seconds, strong = false }: { words: string; seconds: number; strong?: boolean }) {
  return (
    <>
      <dt className={strong ? "font-semibold" : "text-soft"}>{words}</dt>
      <dd className={`figures text-right ${strong ? "font-semibold" : ""}`}>{durationWords(seconds)}</dd>
    </>
  );
}
