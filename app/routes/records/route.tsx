import { Link } from "react-router";
import { load } from "../../context.ts";
import { useQuestionSearch } from "../../frame/question-link.ts";
import { Workplace } from "../../frame/workplace.tsx";
import { fullWords, momentWords } from "../../frame/zoned.ts";
import { Sheet } from "../../ui/sheet.tsx";
import type { Route } from "./+types/route";
import { readRecords } from "./queries.ts";

export const meta: Route.MetaFunction = () => [{ title: "Records · Ypostasis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => ({ ...(await readRecords(context.app, who.organisationId)), zone: who.timeZone }));
}

export default function Records({ loaderData: { runs, audit, zone } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  return (
    <Workplace label="Records">
      <h1>{runs.length === 0 ? "Nothing has been rehearsed yet." : "What was rehearsed, and what came of it"}</h1>
      {runs.length === 0 ? (
        <p className="mt-1 text-soft">
          Every run leaves its record here: who, why, from which points, every step projected and measured, and the proof reached.{" "}
          <Link className="plain-link" to={`/rehearsals${search()}`}>
            Begin a rehearsal
          </Link>
        </p>
      ) : (
        <Sheet heads={["Run", "Began", "Lost", "Result", "Who", "Why", "Enclave"]} className="mt-3">
          {runs.map((r) => (
            <tr key={r.id}>
              <th scope="row">
                <Link className="plain-link whitespace-nowrap" to={`/records/${r.id}${search()}`}>
                  Run {r.number}
                </Link>
              </th>
              <td className="whitespace-nowrap" title={r.beganAt === null ? undefined : fullWords(r.beganAt, zone)}>
                {r.beganAt === null ? "not yet" : momentWords(r.beganAt, zone)}
              </td>
              <td>{r.lost}</td>
              <td>{r.result}</td>
              <td>{r.who}</td>
              <td>{r.why}</td>
              <td>{r.enclave}</td>
            </tr>
          ))}
        </Sheet>
      )}
      <section aria-labelledby="audit" className="mt-8">
        <h2 id="audit" className="border-b border-line-strong pb-0.5">
          Audit trail, newest first
        </h2>
        {audit.length === 0 && <p className="mt-1 text-sm text-soft">Nothing has been done yet. Every act is noted here with who, when and why.</p>}
        <Sheet heads={["Model time", "Wall clock", "Who", "Act", "What", "Why"]}>
          {audit.map((a) => (
            <tr key={a.id}>
              <td className="whitespace-nowrap">{momentWords(a.modelAt, zone)}</td>
              <td className="whitespace-nowrap text-soft">{momentWords(a.wallAt, zone)}</td>
              <td>{a.who}</td>
              <td>{a.act}</td>
              <td className="break-all">{a.subject}</td>
              <td>{a.reason}</td>
            </tr>
          ))}
        </Sheet>
      </section>
    </Workplace>
  );
}
