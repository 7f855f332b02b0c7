import { Link } from "react-router";
import { countWords, durationWords, linkRateWords, listWords, sizeWords } from "#core/wording/amounts.ts";
import { useQuestionSearch } from "../../frame/question-link.ts";
import { Fact } from "../../ui/fact.tsx";
import { InspectorHead } from "../../ui/inspector-head.tsx";
import type { EstateView } from "./queries.ts";

type Chosen = NonNullable<EstateView["chosen"]>;

const HAZARD_WORDS = { power: "a supply of power", cable: "a cable", flood: "a flood plain", provider: "a provider's account" } as const;

/** A site or a shared hazard: what stands there, and what would go with it. */
export function SiteInspector({ chosen, zone }: { chosen: Chosen; zone: string }) {
  const search = useQuestionSearch();
  const { goes } = chosen;
  return (
    <div className="text-sm">
      <InspectorHead name={chosen.name} closeTo={search({ item: null })} />
      {chosen.is === "site" ? (
        <p className={chosen.lost ? "font-semibold text-late" : "text-soft"}>
          {chosen.kind === "region" ? "cloud region" : "server room"} · {chosen.country} · {chosen.timeZone ?? zone}
          {chosen.lost && " · lost at the needle"}
        </p>
      ) : (
        <p className="text-soft">
          {HAZARD_WORDS[chosen.kind]} that {listWords(chosen.members)} share
        </p>
      )}
      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">With it would go</h3>
      <dl>
        <Fact what={goes.services.down.length === 0 ? "no service" : countWords(goes.services.down.length, "service")}>
          {goes.services.down.length > 0 && listWords(goes.services.down, 6)}
          {goes.services.impaired.length > 0 && `${goes.services.down.length > 0 ? "; impaired: " : "impaired: "}${listWords(goes.services.impaired)}`}
          {goes.services.stay.length > 0 &&
            `${goes.services.down.length + goes.services.impaired.length > 0 ? "; " : ""}${countWords(goes.services.stay.length, "stays", "stay")} up`}
        </Fact>
        <Fact what={countWords(goes.machines, "machine")}>
          {goes.hosts.count > 0 ? `${countWords(goes.hosts.count, "host")} with ${countWords(goes.hosts.cores, "core")}` : "no host"}
        </Fact>
        {goes.stores.map((s) => (
          <Fact key={s.id} what={s.name}>
            {s.points === 0
              ? "no point lies there"
              : `${countWords(s.points, "point")}, ${s.elsewhere === s.points ? "all" : Math.floor((100 * s.elsewhere) / s.points) + " %"} of them also whole elsewhere`}
          </Fact>
        ))}
        {goes.links.length > 0 && <Fact what={countWords(goes.links.length, "line")}>{goes.links.join("; ")}</Fact>}
        {goes.coordinator && (
          <Fact what="the coordinator">
            returns at {goes.coordinator.site} in {durationWords(goes.coordinator.seconds)}
          </Fact>
        )}
      </dl>
      <Link className="plain-link" to={search({ lost: chosen.id })}>
        See it lost on the map
      </Link>{" "}
      ·{" "}
      <Link className="plain-link" to={`/${search({ lost: chosen.id })}`}>
        Readiness if it were
      </Link>
      {chosen.is === "site" && <Stands site={chosen} />}
    </div>
  );
}

function Stands({ site }: { site: Extract<Chosen, { is: "site" }> }) {
  const { stands, room, distances, hazards } = site;
  const left = (of: { left: number; of: number }): string => `${Math.round((100 * Math.max(0, of.left)) / of.of)} %`;
  return (
    <>
      <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">What stands there</h3>
      <p className="mt-1">
        {stands.machines.length === 0 ? "No machine" : `${countWords(stands.machines.length, "machine")} with ${sizeWords(stands.bytes)}: ${listWords(stands.machines, 8)}`}.{" "}
        {stands.hosts.length > 0 && `${listWords(stands.hosts)}. `}
        {stands.stores.length > 0 && `${listWords(stands.stores)}.`}
      </p>
      {room && (
        <>
          <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">Room for others</h3>
          <p className="mt-1">
            {left(room.cores)} of cores, {left(room.memory)} of memory, {left(room.pool)} of disk are free.
          </p>
          {room.tooLarge.length > 0 && <p className="font-semibold text-late">No host there is large enough for {listWords(room.tooLarge)}.</p>}
        </>
      )}
      {site.lines.length > 0 && <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">Lines, as they stand at the needle</h3>}
      {site.lines.map((l) => (
        <div key={l.id} className="border-b border-line py-1">
          <p>
            to {l.to}: <span className="figures">{linkRateWords(l.out)}</span> out, <span className="figures">{linkRateWords(l.back)}</span> in
          </p>
          <p className="text-soft">
            {l.latencyMs} ms{l.limits && `; ${l.limits}`}
          </p>
        </div>
      ))}
      {site.networks.length > 0 && <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">Networks</h3>}
      {site.networks.map((n) => (
        <p key={n.id} className="flex justify-between gap-3 border-b border-line py-1">
          <span>
            {n.name} <span className="text-soft">({n.purpose})</span>
          </span>
          <span className="figures">{n.range}</span>
        </p>
      ))}
      {(distances.length > 0 || hazards.length > 0) && <h3 className="mt-4 border-b border-line-strong pb-0.5 font-semibold">How far from others</h3>}
      {distances.map((d) => (
        <p key={d.name} className="flex justify-between border-b border-line py-1">
          <span>{d.name}</span>
          <span className="figures">{d.km < 10 ? d.km.toFixed(1) : Math.round(d.km)} km</span>
        </p>
      ))}
      {hazards.length > 0 && <p className="mt-1 text-tight">Shares {listWords(hazards)} with others.</p>}
    </>
  );
}
