import { Link } from "react-router";
import { countWords, linkRateWords } from "#core/wording/amounts.ts";
import { laySites, linkLine, lineWidth, MAP, outline, type Spot } from "../../charts/estate-map.ts";
import type { EstateView } from "./queries.ts";

type MapView = NonNullable<EstateView["map"]>;
type MapSite = MapView["sites"][number];

/** Sites by place, lines by rate, what they share by an outline; what is lost at the needle is drawn as such. */
export function SiteMap({ map, chosen, to }: { map: MapView; chosen: string | null; to: (id: string) => string }) {
  const spots = laySites(map.sites, map.home);
  return (
    <svg viewBox={`0 0 ${MAP.width} ${MAP.height}`} className="mt-2 max-h-[calc(100dvh-14.5rem)] min-h-72 w-full" role="group" aria-label="Map of sites and lines">
      {map.hazards.map((h) => {
        const around = outline(h.sites.map((id) => spots.get(id)!));
        if (!around) return null;
        return (
          <g key={h.id}>
            <Link to={to(h.id)} preventScrollReset aria-label={`${h.name}: shared by ${countWords(h.sites.length, "site")}`}>
              <path d={around.path} fill="transparent" stroke="var(--tight)" strokeWidth={chosen === h.id ? 2.5 : 1.3} strokeDasharray="5 4" />
            </Link>
            <text aria-hidden="true" x={around.labelAt.x} y={around.labelAt.y} textAnchor="middle" className="text-[13px]" fill="var(--tight)">
              {h.name}
            </text>
          </g>
        );
      })}
      {map.links.map((l) => {
        const line = linkLine(spots.get(l.between[0])!, spots.get(l.between[1])!, spots.values());
        const tone = l.lost ? "var(--late)" : "var(--bar)";
        return (
          <g key={l.id} className="pointer-events-none" role="img" aria-label={`${l.name}: ${l.words}${l.lost ? ", lost with its end" : ""}`}>
            <line
              x1={line.x1}
              y1={line.y1}
              x2={line.x2}
              y2={line.y2}
              stroke={tone}
              strokeWidth={lineWidth(l.rate)}
              strokeDasharray={l.lost ? "2 5" : undefined}
              opacity={l.lost ? 1 : 0.75}
            />
            <text
              x={line.label.x}
              y={line.label.y}
              textAnchor={line.label.anchor}
              className="text-[12px]"
              fill="var(--soft)"
              stroke="var(--ground)"
              strokeWidth="4"
              paintOrder="stroke"
            >
              {!l.lost && linkRateWords(l.rate)}
            </text>
          </g>
        );
      })}
      {map.sites.map((s) => (
        <SiteMark key={s.id} site={s} spot={spots.get(s.id)!} home={map.homeName} chosen={chosen === s.id} to={to(s.id)} />
      ))}
    </svg>
  );
}

function SiteMark({ site, spot, home, chosen, to }: { site: MapSite; spot: Spot; home: string; chosen: boolean; to: string }) {
  const { x, y, r } = spot;
  const tone = site.lost ? "var(--late)" : "var(--ink)";
  const used = site.memoryUsed ?? site.storeUsed;
  const usedWords = used === null ? null : `${Math.round(used * 100)} % of ${site.memoryUsed === null ? "its stores" : "host memory"}`;
  const kind = site.kind === "region" ? "cloud region" : "server room";
  const about = site.km === null ? kind : `${kind}, ${site.km < 10 ? site.km.toFixed(1) : Math.round(site.km)} km`;
  const label = `${site.name}: ${about}${site.km === null ? "" : ` from ${home}`}, ${countWords(site.machines, "machine")}${usedWords ? `, ${usedWords} used` : ""}${site.lost ? ", lost at the needle" : ""}`;
  return (
    <>
      <circle cx={x} cy={y} r={r} fill="var(--ground)" stroke={tone} strokeWidth={chosen ? 3.5 : 2} strokeDasharray={site.lost ? "4 3" : undefined} />
      {Array.from({ length: Math.min(36, site.machines) }, (_, i) => {
        const a = (i / Math.min(36, site.machines)) * 2 * Math.PI - Math.PI / 2;
        return (
          <line
            key={i}
            x1={x + Math.cos(a) * (r - 4)}
            y1={y + Math.sin(a) * (r - 4)}
            x2={x + Math.cos(a) * (r - 9)}
            y2={y + Math.sin(a) * (r - 9)}
            stroke={tone}
            strokeWidth="1.6"
          />
        );
      })}
      <text aria-hidden="true" x={x} y={y + 5} textAnchor="middle" className="text-[14px] font-semibold" fill="var(--ink)">
        {site.machines || "–"}
      </text>
      <g stroke="var(--ground)" strokeWidth="4" paintOrder="stroke" textAnchor="middle" aria-hidden="true">
        <text x={x} y={y - r - 22} className="text-[16px] font-semibold" fill="var(--ink)">
          {site.name}
        </text>
        <text x={x} y={y - r - 7} className="text-[12px]" fill="var(--soft)">
          {about}
        </text>
      </g>
      {used !== null && (
        <>
          <rect x={x - 26} y={y + r + 8} width="52" height="5" fill="var(--line)" />
          <rect x={x - 26} y={y + r + 8} width={52 * Math.min(1, used)} height="5" fill={used > 0.9 ? "var(--late)" : "var(--bar)"} />
          <text aria-hidden="true" x={x} y={y + r + 27} textAnchor="middle" className="text-[12px]" fill="var(--soft)" stroke="var(--ground)" strokeWidth="4" paintOrder="stroke">
            {usedWords}
          </text>
        </>
      )}
      {/* The words above are for the eye; the link says them by its name. */}
      <Link to={to} preventScrollReset aria-label={label}>
        <rect x={x - 48} y={y - r - 40} width="96" height={2 * r + 72} fill="transparent" />
      </Link>
    </>
  );
}
