import { durationWords } from "#core/wording/amounts.ts";
import { useLive } from "../../frame/live.tsx";

export type PolicyLeg = { from: string; to: string; name: string; lastSeconds: number | null; projectedSeconds: number | null };

const ROW = 50;

/** The legs of a policy as lines from the machines to the stores they fill; what runs now is drawn over them. */
export function PolicyRoute({ legs, lost }: { legs: readonly PolicyLeg[]; lost: ReadonlySet<string> }) {
  const { clock } = useLive();
  const depth = new Map<string, number>([["machine", 0]]);
  for (const leg of legs) depth.set(leg.to, (depth.get(leg.from) ?? 0) + 1);
  const columns = Math.max(1, ...depth.values());
  const row = new Map<string, number>([["machine", 0]]);
  const taken = Array<number>(columns + 1).fill(0);
  for (const leg of legs) {
    const column = depth.get(leg.to)!;
    const at = Math.max(row.get(leg.from) ?? 0, taken[column]!);
    row.set(leg.to, at);
    taken[column] = at + 1;
  }
  const height = ROW * Math.max(1, ...taken);
  const x = (column: number): number => 1 + (column / columns) * 97;
  const moving = new Set(clock.flows.map((f) => f.leg));
  return (
    <svg
      className="w-full overflow-visible"
      style={{ height }}
      role="img"
      aria-label={legs.map((l) => `${l.from === "machine" ? "machines" : l.from} to ${l.name}, ${lagWords(l)}`).join("; ")}
    >
      <circle cx={`${x(0)}%`} cy="16" r="4.5" fill="var(--bar)" />
      {legs.map((leg) => {
        const x1 = x(depth.get(leg.from)!);
        const x2 = x(depth.get(leg.to)!);
        const y1 = row.get(leg.from)! * ROW + 16;
        const y2 = row.get(leg.to)! * ROW + 16;
        const gone = lost.has(leg.to);
        const runs = moving.has(`${leg.from}>${leg.to}`);
        const stroke = runs ? "var(--accent)" : gone ? "var(--bar-pale)" : "var(--bar)";
        return (
          <g key={leg.to}>
            {y1 !== y2 && <line x1={`${x1 + 1.5}%`} x2={`${x1 + 1.5}%`} y1={y1} y2={y2} stroke={stroke} strokeWidth={runs ? 2.5 : 1.5} />}
            <line x1={`${x1 + 1.5}%`} x2={`${x2 - 1}%`} y1={y2} y2={y2} stroke={stroke} strokeWidth={runs ? 2.5 : 1.5} />
            <text x={`${(x1 + x2) / 2}%`} y={y2 - 5} textAnchor="middle" fontSize="11" fill={runs ? "var(--accent)" : "var(--soft)"}>
              {runs ? "running" : lagWords(leg)}
            </text>
            <svg x={`${x2}%`} y={y2} overflow="visible">
              <rect x="-7" y="-7" width="14" height="14" fill="var(--ground)" stroke={gone ? "var(--bar-pale)" : "var(--bar)"} strokeWidth="1.6" />
              {gone && <path d="M-7 -7L7 7" stroke="var(--bar-pale)" strokeWidth="1.6" />}
              <text
                y="21"
                x={depth.get(leg.to) === columns ? 8 : 0}
                textAnchor={depth.get(leg.to) === columns ? "end" : "middle"}
                fontSize="12"
                fill={gone ? "var(--soft)" : "var(--ink)"}
                textDecoration={gone ? "line-through" : undefined}
              >
                {leg.name}
              </text>
            </svg>
          </g>
        );
      })}
    </svg>
  );
}

const lagWords = (leg: PolicyLeg): string =>
  leg.lastSeconds !== null ? `all there ${durationWords(leg.lastSeconds)} after capture` : leg.projectedSeconds !== null ? `projected ${durationWords(leg.projectedSeconds)}` : "";
