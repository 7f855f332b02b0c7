import { useEffect, useState } from "react";
import { Link, useFetcher, useSearchParams } from "react-router";
import { countWords } from "#core/wording/amounts.ts";
import { CannotError } from "#server/people/roles.ts";
import { load, perform } from "../../context.ts";
import { useLive } from "../../frame/live.tsx";
import { askedQuestion, unlessOnlyArranged, useQuestionSearch } from "../../frame/question-link.ts";
import { useMayAct } from "../../frame/who.ts";
import { Workplace } from "../../frame/workplace.tsx";
import { momentWords } from "../../frame/zoned.ts";
import { Button } from "../../ui/button.tsx";
import { Notice } from "../../ui/notice.tsx";
import { orUnanswered } from "../../ui/or-unanswered.ts";
import { NoEstate } from "../readiness/no-estate.tsx";
import type { Route } from "./+types/route";
import { actOnEstate, type EstateResult } from "./actions.ts";
import { MOST_BYTES } from "./forms.ts";
import { EstateNav, type Part, PARTS } from "./estate-nav.tsx";
import { FlowsList } from "./flows-list.tsx";
import { GapsList } from "./gaps-list.tsx";
import { ImportDialog } from "./import-dialog.tsx";
import { NEW_ITEM } from "./items/new-item.ts";
import { useWrittenDone, WrittenInspector } from "./items/written-inspector.tsx";
import { ItemTable } from "./item-table.tsx";
import { ProposalsList } from "./proposals/proposals-list.tsx";
import { PlatformsList } from "./platforms/platforms-list.tsx";
import { type EstateView, readEstateView } from "./queries.ts";
import { SiteInspector } from "./site-inspector.tsx";
import { DescribeDialog, NEW_TEXTS } from "./services/service-dialogs.tsx";
import { StoreInspector } from "./stores/store-inspector.tsx";
import { SiteMap } from "./site-map.tsx";

export const meta: Route.MetaFunction = () => [{ title: "Estate · Ypostasis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const { searchParams } = new URL(request.url);
    const show: Part = PARTS.find((k) => k === searchParams.get("show")) ?? "map";
    return {
      view: await readEstateView(context.app, who.organisationId, askedQuestion(request), show, searchParams.get("item"), searchParams.get("columns")),
      show,
      zone: who.timeZone,
    };
  });
}

export async function action({ request, context }: Route.ActionArgs) {
  return perform(context, request, async (who) => {
    // Told before it is read: what is larger would only fill the memory.
    if (Number(request.headers.get("content-length") ?? 0) > MOST_BYTES + 1_048_576) throw new CannotError("A file may have 128 MiB at most; nothing was taken in");
    return actOnEstate(context.app, who, await request.formData());
  });
}

export const clientAction = ({ serverAction }: Route.ClientActionArgs) => orUnanswered(() => serverAction());

export const shouldRevalidate = unlessOnlyArranged;

export default function Estate({ loaderData: { view, show, zone } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  const [params] = useSearchParams();
  const [bringing, setBringing] = useState(false);
  const [describing, setDescribing] = useState(false);
  const [told, setTold] = useState<string | null>(null);
  const mayAct = useMayAct();
  useWrittenDone(setTold);
  useLive();
  const dialog = <ImportDialog hosts={view?.hosts ?? []} open={bringing} onOpenChange={setBringing} onDone={setTold} />;
  if (!view)
    return (
      <NoEstate
        act={
          <Button kind="act" disabled={!mayAct} onClick={() => setBringing(true)}>
            Bring in an estate file
          </Button>
        }
      >
        {dialog}
      </NoEstate>
    );
  const { counts } = view;
  const item = params.get("item");
  const keep = (more: Record<string, string | null>): string => search({ ...(show === "map" ? {} : { show }), ...more });
  return (
    <Workplace
      label="Estate"
      inspector={
        view.store ? (
          <StoreInspector key={view.store.store.id} view={view.store} />
        ) : view.written ? (
          <WrittenInspector
            key={`${view.written.kind}/${view.written.id}`}
            written={view.written}
            base={view.base}
            closeTo={keep({ item: null, filter: params.get("filter"), sort: params.get("sort") })}
          />
        ) : (
          view.chosen && <SiteInspector chosen={view.chosen} zone={zone} />
        )
      }
    >
      <div className="flex flex-wrap items-start justify-between gap-x-6 gap-y-2">
        <div>
          <h1>
            {countWords(counts.sites, "site")}, {countWords(counts.machines, "machine")}, {countWords(counts.services, "service")}
          </h1>
          <EstateNav shown={show} counts={{ gaps: view.gapCount }} />
        </div>
        <div className="flex items-center gap-3 text-sm">
          <span>
            Take away as{" "}
            <a className="plain-link" href="/estate/file/estate.yaml" download>
              YAML
            </a>{" "}
            ·{" "}
            <a className="plain-link" href="/estate/file/estate.json" download>
              JSON
            </a>{" "}
            ·{" "}
            <a className="plain-link" href="/estate/file/sites.geojson" download>
              GeoJSON
            </a>
          </span>
          {show === "services" && (
            <Button disabled={!mayAct} onClick={() => setDescribing(true)}>
              New service
            </Button>
          )}
          {view.table && show !== "services" && (
            <Link className="plain-link" to={keep({ item: NEW_ITEM })} preventScrollReset>
              New
            </Link>
          )}
          <Button disabled={!mayAct} onClick={() => setBringing(true)}>
            Bring in
          </Button>
        </div>
      </div>
      {view.last && <LastChange change={view.last} zone={zone} mayAct={mayAct} onDone={setTold} />}
      {told && (
        <p role="status" className="mt-1 text-sm text-soft">
          {told}
        </p>
      )}
      {view.map && (
        <>
          <SiteMap map={view.map} chosen={item} to={(id) => keep({ item: item === id ? null : id }) || "."} />
          <p className="text-xs text-soft">
            Seen from {view.map.homeName}: directions are true, distances drawn by their cube root · thicker: more a second, as the limits stand at the needle · ticks: machines ·
            dashed or dotted: lost at the needle
          </p>
        </>
      )}
      {view.table && <ItemTable key={view.table.kind} kind={view.table.kind} rows={view.table.rows} base={view.base} onDone={setTold} />}
      {view.platforms && <PlatformsList platforms={view.platforms} sites={view.sites} hosts={view.hosts} zone={zone} onDone={setTold} />}
      {view.proposals && (view.connections?.total ?? 0) > 0 && <ProposalsList proposals={view.proposals} base={view.base} zone={zone} onDone={setTold} />}
      {view.connections && <FlowsList connections={view.connections} zone={zone} />}
      {view.gaps && <GapsList gaps={view.gaps} />}
      {dialog}
      <DescribeDialog open={describing} isNew texts={NEW_TEXTS} base={view.base} onOpenChange={setDescribing} onDone={setTold} />
    </Workplace>
  );
}

/** What changed last and why, and the way back. */
function LastChange({ change, zone, mayAct, onDone }: { change: NonNullable<EstateView["last"]>; zone: string; mayAct: boolean; onDone: (words: string) => void }) {
  const fetcher = useFetcher<EstateResult>();
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  useEffect(() => {
    if (result && "done" in result) onDone(result.done);
    // Once for each reply.
  }, [result]);
  return (
    <fetcher.Form method="post" encType="multipart/form-data" className="mt-1 flex flex-wrap items-baseline gap-x-2 text-sm text-soft">
      <input type="hidden" name="act" value="undo" />
      <input type="hidden" name="change" value={change.version} />
      <span>
        Last changed {momentWords(change.modelAt, zone)} by {change.personName}: {countWords(change.items, "item")}, “{change.reason}”.
      </span>
      {mayAct && (
        <button type="submit" className="plain-link min-h-6" disabled={fetcher.state !== "idle"}>
          Undo
        </button>
      )}
      {result && "error" in result && <Notice kind="wrong">{result.error}</Notice>}
    </fetcher.Form>
  );
}
