import { Link } from "react-router";
import type { Gap } from "#core/estate/gaps.ts";
import { countWords } from "#core/wording/amounts.ts";
import { useQuestionSearch } from "../../frame/question-link.ts";

const HEADS: readonly [RegExp, string][] = [
  [/^(unprotected|off-site|hazard)\//, "Copies"],
  [/^(place|landing)\//, "Places to run"],
  [/^rpo\/[^/]+$/, "Loss that policies cannot keep"],
  [/^rpo\//, "Targets and dependencies"],
  [/^(rto|impact|copies-in|loop|group)\/|^unsaid$/, "Targets and dependencies"],
  [/^(holder|tried)\//, "Keys"],
  [/^(transport|second|room)\//, "Stores"],
  [/^overlap\//, "Schedules"],
];
const MOST_LINKS = 6;
const headOf = (gap: Gap): string => (gap.about.kind === "keys" ? "Keys" : (HEADS.find(([kind]) => kind.test(gap.id))?.[1] ?? "Other"));

/** What will bite on the day, each with the thing to do about it. */
export function GapsList({ gaps }: { gaps: readonly Gap[] }) {
  const search = useQuestionSearch();
  if (gaps.length === 0)
    return (
      <p className="mt-4 text-soft">
        Nothing is wanting in what is described: every machine has a copy elsewhere and a place to run, keys have two holders, and policies can keep every RPO.
      </p>
    );
  const heads = [...new Set(gaps.map(headOf))];
  return (
    <div className="mt-3 max-w-4xl pb-6">
      <p className="text-sm text-soft">{countWords(gaps.length, "thing")} found by computation from what the estate says, as of the needle. They go when it is mended.</p>
      {heads.map((head) => (
        <section key={head} aria-label={head}>
          <h2 className="mt-4 border-b border-line-strong pb-0.5 text-base">{head}</h2>
          <ul>
            {gaps
              .filter((g) => headOf(g) === head)
              .map((g) => (
                <li key={g.id} className="border-b border-line py-1.5 text-sm">
                  <p>{g.sentence}</p>
                  <p className="text-soft">
                    {g.remedy}{" "}
                    {g.about.kind === "machines" &&
                      g.about.ids.length <= MOST_LINKS &&
                      g.about.ids.map((id) => (
                        <Link key={id} className="plain-link figures mr-2" to={`/estate/machines/${id}${search()}`}>
                          {id}
                        </Link>
                      ))}
                    {g.about.kind === "services" &&
                      g.about.ids.length <= MOST_LINKS &&
                      g.about.ids.map((id) => (
                        <Link key={id} className="plain-link mr-2" to={`/estate/services/${id}${search()}`}>
                          {id}
                        </Link>
                      ))}
                    {g.about.kind === "stores" && (
                      <Link className="plain-link" to={`/estate${search({ show: "stores", item: g.about.ids[0]! })}`}>
                        Look at the store
                      </Link>
                    )}
                  </p>
                </li>
              ))}
          </ul>
        </section>
      ))}
    </div>
  );
}
