import { Link } from "react-router";
import type { Strength } from "#core/estate/model.ts";
import { countWords, durationWords, listWords } from "#core/wording/amounts.ts";
import { useQuestionSearch } from "../../../frame/question-link.ts";
import { Button } from "../../../ui/button.tsx";
import { InspectorHead } from "../../../ui/inspector-head.tsx";
import type { DependenciesView } from "./queries.ts";

type Chosen = NonNullable<DependenciesView["chosen"]>;

/** What a service needs and what needs it, each of which can be changed from here by keyboard. */
export function DependencyInspector({
  chosen,
  mayAct,
  closeTo,
  to,
  onChange,
  onAdd,
}: {
  chosen: Chosen;
  mayAct: boolean;
  closeTo: string;
  to: (id: string) => string;
  onChange: (service: string, needs: string, had: Strength) => void;
  onAdd: () => void;
}) {
  const search = useQuestionSearch();
  return (
    <div className="text-sm">
      <InspectorHead name={chosen.name} closeTo={closeTo} />
      <p className="text-soft">
        Tier {chosen.tier} · {chosen.owner}
      </p>
      <p className="mt-1">
        {chosen.state.kind === "up" ? "It stays up in this loss." : `It is ${chosen.state.kind} in this loss: ${chosen.state.because}.`} It hangs on{" "}
        {countWords(chosen.below, "service")} in all, and {chosen.above === 1 ? "1 hangs" : `${chosen.above} hang`} on it.
      </p>
      <Side title="It needs" none="It needs no other service." items={chosen.needs} to={to} mayAct={mayAct} onChange={(id, had) => onChange(chosen.id, id, had)} />
      {mayAct && (
        <Button className="mt-2" onClick={onAdd}>
          Add what it needs
        </Button>
      )}
      <Side title="Needed by" none="No service needs it." items={chosen.neededBy} to={to} mayAct={mayAct} onChange={(id, had) => onChange(id, chosen.id, had)} />
      <p className="mt-4">
        <Link className="plain-link" to={`/estate/services/${chosen.id}${search()}`}>
          All about {chosen.name}
        </Link>
      </p>
    </div>
  );
}

function Side({
  title,
  none,
  items,
  to,
  mayAct,
  onChange,
}: {
  title: string;
  none: string;
  items: Chosen["needs"];
  to: (id: string) => string;
  mayAct: boolean;
  onChange: (id: string, had: Strength) => void;
}) {
  return (
    <>
      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">{title}</h3>
      {items.length === 0 && <p className="mt-1 text-soft">{none}</p>}
      <ul className="mt-1">
        {items.map((d) => (
          <li key={d.id} className="flex items-center gap-2 py-0.5">
            <Link className="plain-link flex-1" to={to(d.id)} preventScrollReset>
              {d.name}
            </Link>
            <span className="text-soft">{d.strength}</span>
            {mayAct && (
              <Button onClick={() => onChange(d.id, d.strength)} aria-label={`Change: ${title.toLowerCase()} ${d.name}`}>
                change
              </Button>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}

/** What would take most services with it if it failed by itself. */
export function SinglePoints({ points, to }: { points: DependenciesView["points"]; to: (id: string) => string }) {
  return (
    <div className="text-sm">
      <h2 className="text-lg">What takes most with it</h2>
      <p className="text-soft">Services, machines and hosts on which several hang, by what would go down with each: the first tier first.</p>
      {points.length === 0 && <p className="mt-2">Nothing takes more than one service with it.</p>}
      <ol className="mt-2">
        {points.map((p) => (
          <li key={`${p.kind}/${p.id}`} className="border-b border-line py-1.5">
            <p className="flex items-baseline gap-2">
              <span className="flex-1">
                {p.kind === "service" ? (
                  <Link className="plain-link font-semibold" to={to(p.id)} preventScrollReset>
                    {p.name}
                  </Link>
                ) : (
                  <span className="figures font-semibold">{p.name}</span>
                )}{" "}
                <span className="text-soft">{p.kind}</span>
              </span>
              <span className="figures font-semibold">{p.services.length}</span>
            </p>
            <p className="text-xs text-soft">
              {listWords(p.byTier.flatMap((n, i) => (n > 0 ? [`${n} of tier ${i + 1}`] : [])))}; the tightest is to be back within {durationWords(p.tightestRto)}.{" "}
              <span>{listWords(p.services, 5)}.</span>
            </p>
          </li>
        ))}
      </ol>
    </div>
  );
}
