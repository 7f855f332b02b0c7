import { Link } from "react-router";
import type { ChainLink, ServiceReadiness } from "#core/readiness/readiness.ts";
import { durationWords } from "#core/wording/amounts.ts";
import { useQuestionSearch } from "../../frame/question-link.ts";
import { ChainList } from "../../runs/chain-list.tsx";
import { verdictTone } from "../readiness/ruler-line.ts";

/** What decides when one service is serviceable, link by link. */
export function ChainInspector({ chosen }: { chosen: ServiceReadiness & { chain: readonly ChainLink[] } }) {
  const search = useQuestionSearch();
  const tone = verdictTone(chosen.verdict);
  return (
    <div className="text-sm">
      <h2 className="text-lg">{chosen.name}</h2>
      <p className="text-soft">
        Tier {chosen.tier} · RTO {durationWords(chosen.rto)} · RPO {durationWords(chosen.rpo)}
      </p>
      <p className={`figures mt-3 text-xl font-semibold ${tone}`}>{durationWords(chosen.recovery!.serviceable)}</p>
      <p className={tone}>{chosen.sentence}</p>
      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">Its critical chain</h3>
      <ChainList chain={chosen.chain} />
      <p className="mt-3">
        <Link className="plain-link" to={`/${search({ service: chosen.service })}`}>
          Its readiness
        </Link>
      </p>
    </div>
  );
}
