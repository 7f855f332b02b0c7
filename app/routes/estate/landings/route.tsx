import { useState } from "react";
import { Link } from "react-router";
import type { Requirement } from "#core/estate/landing.ts";
import { countWords, listWords } from "#core/wording/amounts.ts";
import { type LandingView, readLandings } from "#server/platforms/landing-view.ts";
import { outlook } from "#server/outlook.ts";
import { load } from "../../../context.ts";
import { useLive } from "../../../frame/live.tsx";
import { askedQuestion, useQuestionSearch } from "../../../frame/question-link.ts";
import { Workplace } from "../../../frame/workplace.tsx";
import { momentWords } from "../../../frame/zoned.ts";
import { Sheet } from "../../../ui/sheet.tsx";
import { NoEstate } from "../../readiness/no-estate.tsx";
import { shownVersion } from "#server/estate/last-change.ts";
import { EstateNav } from "../estate-nav.tsx";
import { NEW_ITEM } from "../items/new-item.ts";
import { writtenView } from "../items/queries.ts";
import { useWrittenDone, WrittenInspector } from "../items/written-inspector.tsx";
import type { Route } from "./+types/route";

export const meta: Route.MetaFunction = () => [{ title: "Landing zones · Estate · Ypostasis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const view = await outlook(context.app, who.organisationId, askedQuestion(request));
    const item = new URL(request.url).searchParams.get("item");
    return {
      landings: view && (await readLandings(context.app.connection.db, view.estate)),
      written: view && item ? writtenView(view.estate, "landings", "landing zone", item) : null,
      base: await shownVersion(context.app.connection.db, who.organisationId, view?.changedSince ?? 0),
      zone: who.timeZone,
    };
  });
}

export default function LandingZones({ loaderData: { landings, written, base, zone } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  const [told, setTold] = useState<string | null>(null);
  useWrittenDone(setTold);
  useLive();
  if (!landings) return <NoEstate />;
  const missing = landings.reduce((n, l) => n + l.missing, 0);
  const unknown = landings.reduce((n, l) => n + l.unknown, 0);
  return (
    <Workplace label="Landing zones" inspector={written && <WrittenInspector key={written.id} written={written} base={base} closeTo={search()} />}>
      <h1>
        {landings.length === 0
          ? "No machine would land anywhere"
          : missing === 0
            ? "Nothing is known to be missing where machines would land"
            : `${countWords(missing, "thing is", "things are")} missing where machines would land`}
      </h1>
      <EstateNav shown="landings" />
      {told && (
        <p role="status" className="mt-1 text-sm text-soft">
          {told}
        </p>
      )}
      <p className="mt-2 max-w-4xl text-sm text-soft">
        Where machines of one site would run if theirs alone were lost, and what has to be there before that day, held against what discovery found.
        {unknown > 0 && ` ${countWords(unknown, "thing has", "things have")} not been looked at.`}
        {landings.length === 0 && " Describe hosts at a second site that run the machines of the first."}
      </p>
      <div className="max-w-5xl pb-6">
        {landings.map((l) => (
          <Zone key={l.key} landing={l} zone={zone} />
        ))}
      </div>
    </Workplace>
  );
}

function Zone({ landing: l, zone }: { landing: LandingView; zone: string }) {
  const search = useQuestionSearch();
  return (
    <section aria-label={`${l.platformName} at ${l.siteName}`} className="mt-5">
      <h2 className="text-base">
        {l.platformName} at {l.siteName}{" "}
        <span className={`text-sm font-normal ${l.missing > 0 ? "text-late" : "text-soft"}`}>
          {l.missing > 0 ? `${l.missing} missing` : l.unknown > 0 ? `${l.unknown} not looked at` : "ready"}
        </span>
      </h2>
      <p className="text-sm text-soft">
        {l.machines.length === 0 ? "Nothing would land here." : `${countWords(l.machines.length, "machine")} would land here: ${listWords(l.machines, 6)}.`}{" "}
        {l.connection ? (
          <>
            Looked at {l.discoveredAt === null ? "never" : momentWords(l.discoveredAt, zone)} through{" "}
            <Link className="plain-link" to={`/estate/platforms/${l.connection}${search()}`}>
              {l.connection}
            </Link>
            .
          </>
        ) : (
          <>
            Its platform is{" "}
            <Link className="plain-link" to={`/estate${search({ show: "platforms" })}`}>
              not connected
            </Link>
            .
          </>
        )}{" "}
        <Link className="plain-link" to={`/estate/landings${search({ item: l.zone?.id ?? NEW_ITEM })}`} preventScrollReset>
          {l.zone ? "As it is written" : "Write one down"}
        </Link>
      </p>
      <Sheet heads={["What", "Ready?", "How it stands", "For whom it matters"]}>
        {[...l.requirements]
          .sort((a, b) => RANK[a.state] - RANK[b.state])
          .map((r, i) => (
            <tr key={i}>
              <th scope="row">{WORDS[r.what]}</th>
              <td className={r.state === "missing" ? "font-semibold text-late" : r.state === "unknown" ? "text-tight" : ""}>{STATES[r.state]}</td>
              <td>
                {r.sentence} <span className="text-soft">{r.remedy}</span>
              </td>
              <td className="text-soft">{listWords(r.services.map((id) => l.nameOf[id]!), 4) || "no service"}</td>
            </tr>
          ))}
      </Sheet>
    </section>
  );
}

const RANK: Record<Requirement["state"], number> = { missing: 0, unknown: 1, ready: 2 };
const STATES: Record<Requirement["state"], string> = { missing: "missing", unknown: "not looked at", ready: "ready" };
const WORDS: Record<Requirement["what"], string> = {
  zone: "landing zone",
  group: "group",
  network: "network",
  addresses: "addresses",
  staging: "staging room",
  account: "account",
  media: "media",
  exports: "export service",
};
