import { Link } from "react-router";
import { useQuestionSearch } from "../../frame/question-link.ts";
import { SHOWN_KINDS } from "./tables.ts";

/** What the place itself shows, one at a time. */
export const PARTS = ["map", ...SHOWN_KINDS, "platforms", "connections", "gaps"] as const;
export type Part = (typeof PARTS)[number];
/** Parts with a page of their own. */
const PAGES = ["dependencies", "landings", "setup", "changes"] as const;
type Named = Part | (typeof PAGES)[number];

const WORDS: Partial<Record<Named, string>> = {
  map: "places",
  links: "lines",
  gaps: "what is wanting",
  connections: "seen connections",
  landings: "landing zones",
  setup: "coordinator",
};
/** What there is, and what follows from it. */
const ROWS: readonly (readonly Named[])[] = [
  ["map", ...SHOWN_KINDS, "platforms"],
  ["dependencies", "connections", "landings", "setup", "changes", "gaps"],
];

export function EstateNav({ shown, counts }: { shown: Named | null; counts?: Partial<Record<Named, number>> }) {
  const search = useQuestionSearch();
  const to = (part: Named): string => ((PAGES as readonly string[]).includes(part) ? `/estate/${part}${search()}` : `/estate${search({ show: part === "map" ? null : part })}`);
  return (
    <nav aria-label="Parts of the estate" className="text-sm text-soft">
      {ROWS.map((row) => (
        <div key={row[0]}>
          {row.map((part, i) => (
            <span key={part}>
              {i > 0 && " · "}
              <Link to={to(part)} aria-current={part === shown ? "page" : undefined} className={part === shown ? "font-semibold text-ink" : "hover:text-ink"}>
                {WORDS[part] ?? part}
                {counts?.[part] ? <span className="figures"> {counts[part]}</span> : null}
              </Link>
            </span>
          ))}
        </div>
      ))}
    </nav>
  );
}
