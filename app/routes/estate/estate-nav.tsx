import { Link } from "react-router";
import { useQuestionSearch } from "../../frame/question-link.ts";
import { SHOWN_KINDS } from "./tables.ts";

/** What the place shows, one at a time. */
export const PARTS = ["map", ...SHOWN_KINDS, "platforms", "connections", "gaps"] as const;
export type Part = (typeof PARTS)[number];
const WORDS: Partial<Record<Part, string>> = { map: "places", links: "lines", gaps: "what is wanting" };

export function EstateNav({ shown, counts }: { shown: Part | null; counts?: Partial<Record<Part, number>> }) {
  const search = useQuestionSearch();
  return (
    <nav aria-label="Parts of the estate" className="text-sm text-soft">
      {PARTS.map((part, i) => (
        <span key={part}>
          {i > 0 && " · "}
          <Link
            to={`/estate${search({ show: part === "map" ? null : part })}`}
            aria-current={part === shown ? "page" : undefined}
            className={part === shown ? "font-semibold text-ink" : "hover:text-ink"}
          >
            {WORDS[part] ?? part}
            {counts?.[part] ? <span className="figures"> {counts[part]}</span> : null}
          </Link>
        </span>
      ))}
    </nav>
  );
}
