import { useEffect, useState } from "react";
import { NavLink, Outlet, useNavigation } from "react-router";
import { lossName } from "#core/outage/question.ts";
import { flowStates, WorkOwners } from "#server/jobs/under-way.ts";
import { servedBy } from "#server/people/sign-in.ts";
import { loadStrip } from "#server/strip.ts";
import { load } from "../context.ts";
import { Notice } from "../ui/notice.tsx";
import type { Route } from "./+types/frame";
import { CommandSearch } from "./command-search.tsx";
import { Keys } from "./keys.tsx";
import { LiveProvider, useLive } from "./live.tsx";
import { Mark } from "./mark.tsx";
import { PersonMenu } from "./person-menu.tsx";
import { PLACES } from "./places.ts";
import { askedQuestion, unlessOnlyArranged, useQuestionSearch } from "./question-link.ts";
import { TimeStrip } from "./time-strip.tsx";

const MACHINES_SENT = 300;

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const { outlook, ...strip } = await loadStrip(context.app, who.organisationId, askedQuestion(request));
    const status = await context.app.world.status();
    const flows = await new WorkOwners(context.app.connection.db).byOrganisation(flowStates(status.flows));
    const estate = outlook?.estate;
    return {
      ...strip,
      who: {
        name: who.name,
        role: who.role,
        organisationId: who.organisationId,
        organisation: who.organisation,
        timeZone: who.timeZone,
        serves: await servedBy(context.app.connection.db, who.id),
      },
      clock: { instant: status.instant, effective: status.effective, held: status.held, flows: flows.get(who.organisationId) ?? [] },
      pace: status.pace,
      question: { at: outlook?.at ?? status.instant, isNow: outlook?.isNow ?? true, lost: outlook?.lost ?? [], notes: outlook?.notes ?? [] },
      lostNames: estate ? outlook.lost.map((id) => lossName(estate, id)) : [],
      canBeLost: estate
        ? [
            { kind: "Sites", items: outlook.sites.map((s) => ({ id: s.site, name: s.name, misses: s.misses as number | null })) },
            { kind: "Shared hazards", items: estate.hazards.map((h) => ({ id: h.id, name: h.name, misses: null })) },
            { kind: "Hosts", items: estate.hosts.map((h) => ({ id: h.id, name: h.name, misses: null })) },
            { kind: "Stores", items: estate.stores.map((s) => ({ id: s.id, name: s.name, misses: null })) },
            { kind: "Lines", items: estate.links.map((l) => ({ id: l.id, name: lossName(estate, l.id), misses: null })) },
          ].filter(({ items }) => items.length > 0)
        : [],
      stores: (estate?.stores ?? []).map((s) => ({ id: s.id, name: s.name })),
      services: (estate?.services ?? []).map((s) => ({ id: s.id, name: s.name })),
      // Where there are many, the search asks for those that fit.
      machines: estate && estate.machines.length > MACHINES_SENT ? null : (estate?.machines ?? []).map((m) => ({ id: m.id, name: m.name })),
    };
  });
}

export const shouldRevalidate = unlessOnlyArranged;

export default function Frame({ loaderData }: Route.ComponentProps) {
  const search = useQuestionSearch();
  const navigation = useNavigation();
  const [hydrated, setHydrated] = useState(false);
  useEffect(() => setHydrated(true), []);
  return (
    <LiveProvider initial={loaderData.clock} loadedAt={loaderData.clock.instant}>
      <a href="#work" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-raised focus:p-2">
        To the work
      </a>
      <div className="print-whole flex h-dvh min-h-[30rem] flex-col" data-hydrated={hydrated || undefined}>
        <header className="no-print flex min-h-14 flex-wrap items-center gap-x-7 gap-y-1 border-b border-line px-5 py-2">
          <Mark />
          <nav aria-label="Places" className="flex flex-wrap gap-x-6">
            {PLACES.map((place) => (
              <NavLink
                key={place.to}
                to={place.to + search()}
                end={place.to === "/"}
                className={({ isActive }) =>
                  `border-b-[3px] pt-1.5 pb-1 text-[0.9375rem] ${isActive ? "border-accent font-bold text-ink" : "border-transparent text-soft hover:text-ink"}`
                }
              >
                {place.name}
              </NavLink>
            ))}
          </nav>
          <span className="ml-auto flex items-center gap-4">
            <CommandSearch frame={loaderData} />
            <PersonMenu who={loaderData.who} />
          </span>
        </header>
        <TimeStrip frame={loaderData} />
        <Disconnected />
        {loaderData.question.notes.length > 0 && (
          <div className="no-print border-b border-line px-5 py-1.5">
            {loaderData.question.notes.map((note) => (
              <Notice key={note} kind="know">
                {note}
              </Notice>
            ))}
          </div>
        )}
        <div id="work" tabIndex={-1} aria-busy={navigation.state === "loading"} className="print-whole min-h-0 flex-1 outline-none">
          <Outlet />
        </div>
        <Keys frame={loaderData} />
      </div>
    </LiveProvider>
  );
}

function Disconnected() {
  const { connected } = useLive();
  if (connected) return null;
  return (
    <div role="status" className="border-b border-late bg-raised px-5 py-1.5 text-sm text-late">
      The server does not answer; what you see may be old. Work under way goes on by itself once it is back, and this page follows again.
    </div>
  );
}
