import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { countWords } from "#core/wording/amounts.ts";
import type { Strength } from "#core/estate/model.ts";
import { changeDependency } from "#server/acts/dependencies.ts";
import { CannotError } from "#server/people/roles.ts";
import { DependencyGraph } from "../../../charts/dependency-graph.tsx";
import { load, perform } from "../../../context.ts";
import { useLive } from "../../../frame/live.tsx";
import { askedQuestion, useAddress, useQuestionSearch } from "../../../frame/question-link.ts";
import { useMayAct } from "../../../frame/who.ts";
import { Workplace } from "../../../frame/workplace.tsx";
import { readForm } from "../../../ui/form-result.ts";
import { orUnanswered } from "../../../ui/or-unanswered.ts";
import { Sheet } from "../../../ui/sheet.tsx";
import { NoEstate } from "../../readiness/no-estate.tsx";
import { EstateNav } from "../estate-nav.tsx";
import type { Route } from "./+types/route";
import { type Asked, DependencyDialog, type DependencyResult } from "./dependency-dialog.tsx";
import { DependencyInspector, SinglePoints } from "./dependency-inspector.tsx";
import { dependencyForm } from "./forms.ts";
import { type Focus, FOCUSES, readDependencies } from "./queries.ts";

export const meta: Route.MetaFunction = () => [{ title: "Dependencies · Estate · Ypostasis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const { searchParams } = new URL(request.url);
    const focus = FOCUSES.find((f) => f === searchParams.get("focus")) ?? null;
    return { view: await readDependencies(context.app, who.organisationId, askedQuestion(request), searchParams.get("service"), focus) };
  });
}

export async function action({ request, context }: Route.ActionArgs) {
  return perform(context, request, async (person): Promise<DependencyResult> => {
    const form = await request.formData();
    if (form.get("act") !== "dependency") throw new CannotError("The page asked for something that is not known; load it anew");
    const read = readForm(dependencyForm, form);
    if ("wrong" in read) return read.wrong;
    const { service, needs, strength, order, base, reason } = read.values;
    const result = await changeDependency(
      { app: context.app, person },
      { service, needs, strength: strength === "none" ? null : (strength as Strength), ...(order ? { order: order.split(" ") } : {}), base, reason },
    );
    return "loop" in result ? result : { done: strength === "none" ? "The dependency is taken away." : "The dependency is set." };
  });
}
export const clientAction = ({ serverAction }: Route.ClientActionArgs) => orUnanswered(() => serverAction());

const FOCUS_WORDS: Record<Focus, string> = { main: "what carries most", all: "everything", around: "both ways", down: "what it hangs on", up: "what hangs on it" };
const TABLED = 500;

export default function Dependencies({ loaderData: { view } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  const address = useAddress();
  const mayAct = useMayAct();
  const [params] = useSearchParams();
  const [asked, setAsked] = useState<Asked | null>(null);
  const [filter, setFilter] = useState("");
  const [told, setTold] = useState<string | null>(null);
  useLive();
  useEffect(() => setFilter(""), [params.get("service")]);
  if (!view) return <NoEstate />;
  const { chosen, nodes, edges, loops, names, points, total, base, focus, wouldBe } = view;
  const keep = { focus: params.get("focus") };
  const to = (id: string): string => search({ service: id, ...keep });
  const had = (service: string, needs: string): Strength | null => edges.find((e) => e.direct && e.from === service && e.to === needs)?.strength ?? null;
  const found = filter.trim() === "" ? [] : names.filter((n) => `${n.name} ${n.id}`.toLowerCase().includes(filter.trim().toLowerCase())).slice(0, 8);
  const name = (id: string): string => names.find((n) => n.id === id)?.name ?? id;
  return (
    <Workplace
      label="Dependencies"
      inspector={
        chosen ? (
          <DependencyInspector
            chosen={chosen}
            mayAct={mayAct}
            closeTo={search()}
            to={to}
            onChange={(service, needs, strength) => setAsked({ service, needs, had: strength })}
            onAdd={() => setAsked({ service: chosen.id, needs: null, had: null })}
          />
        ) : (
          <SinglePoints points={points} to={to} />
        )
      }
    >
      <div className="flex h-full min-h-[32rem] flex-col">
        <h1>What hangs on what</h1>
        <EstateNav shown="dependencies" />
        {told && (
          <p role="status" className="mt-1 text-sm text-soft">
            {told}
          </p>
        )}
        <div className="mt-2 mb-2 flex flex-wrap items-center gap-x-5 gap-y-1 text-sm">
          <div className="relative">
            <label htmlFor="find-service" className="sr-only">
              Find a service
            </label>
            <input
              id="find-service"
              value={filter}
              onChange={(e) => setFilter(e.target.value)}
              onKeyDown={(e) => e.key === "Enter" && found[0] && address({ service: found[0].id })}
              placeholder="find a service"
              autoComplete="off"
              className="w-44 rounded-[3px] border border-line-strong bg-raised px-2 py-0.5"
            />
            {found.length > 0 && (
              <ul className="absolute top-full left-0 z-10 w-64 border border-line-strong bg-raised py-1">
                {found.map((n) => (
                  <li key={n.id}>
                    <button type="button" className="w-full px-2 py-0.5 text-left hover:bg-chosen" onClick={() => address({ service: n.id })}>
                      {n.name}
                    </button>
                  </li>
                ))}
              </ul>
            )}
          </div>
          <nav aria-label="What is shown" className="flex flex-wrap items-center gap-x-3">
            {FOCUSES.filter((f) => f !== "main" || total > nodes.length || focus === "main").map((f) => (
              <span key={f}>
                {chosen || f === "all" || f === "main" ? (
                  <Link
                    to={search({ service: chosen?.id ?? null, focus: f })}
                    preventScrollReset
                    aria-current={focus === f ? "true" : undefined}
                    className={focus === f ? "font-semibold" : "plain-link"}
                  >
                    {FOCUS_WORDS[f]}
                  </Link>
                ) : (
                  <span className="text-soft">{FOCUS_WORDS[f]}</span>
                )}
              </span>
            ))}
          </nav>
          <p className="text-soft">
            {nodes.length === total ? countWords(total, "service") : `${nodes.length} of ${countWords(total, "service")}`}, {countWords(edges.length, "dependency", "dependencies")}
            {nodes.length < wouldBe && focus !== "main" && `; the nearest of ${wouldBe}`}
          </p>
          <p className="text-soft">
            <a className="plain-link" href="/estate/file/dependencies.graphml">
              GraphML
            </a>{" "}
            ·{" "}
            <a className="plain-link" href="/estate/file/dependencies.dot">
              DOT
            </a>
          </p>
        </div>
        {total === 0 ? (
          <p className="text-sm text-soft">
            No services are described yet. Bring in an estate file, or a table of services, at the place Estate; then what hangs on what stands here.
          </p>
        ) : (
          <DependencyGraph
            nodes={nodes}
            edges={edges}
            loops={loops}
            chosen={chosen?.id ?? null}
            mayAct={mayAct}
            onChoose={(id) => address({ service: id })}
            onConnect={(from, needs) => setAsked({ service: from, needs, had: needs ? had(from, needs) : null })}
            onEdge={(e) => setAsked({ service: e.from, needs: e.to, had: e.strength })}
          />
        )}
        <p className="mt-1 text-xs text-soft">
          Solid is hard, dashed is soft, dotted leads through services that are not drawn; burnt outline: down in this loss. Arrow keys go along, Enter chooses
          {mayAct && ", n adds what a service needs; or drag from the ring at its right"}.
        </p>
        <details className="mt-1 text-sm">
          <summary className="cursor-default text-soft">As a table</summary>
          <Sheet heads={["Service", "Needs", "How"]}>
            {edges.slice(0, TABLED).map((e) => (
              <tr key={`${e.from} ${e.to}`}>
                <th scope="row">{name(e.from)}</th>
                <td>{name(e.to)}</td>
                <td>
                  {e.strength}
                  {!e.direct && ", through others that are not drawn"}
                </td>
              </tr>
            ))}
          </Sheet>
          {edges.length > TABLED && <p className="text-soft">The first {TABLED}; choose a service to see those around it.</p>}
        </details>
      </div>
      <DependencyDialog
        asked={asked}
        names={names}
        base={base}
        onClose={() => setAsked(null)}
        onDone={(words) => {
          setAsked(null);
          setTold(words);
        }}
      />
    </Workplace>
  );
}
