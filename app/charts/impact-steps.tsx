import type { Impact, ImpactLevel } from "#core/estate/model.ts";
import { durationWords } from "#core/wording/amounts.ts";
import type { RulerScale } from "./ruler-scale.ts";

const RISE: Record<ImpactLevel | "unsaid", number> = { unsaid: 5, low: 9, moderate: 17, high: 26 };
const HEIGHT = 30;

/** What is felt, in steps along the same time axis as the ruler above it; the higher, the worse. */
export function ImpactSteps({ impact, away, scale }: { impact: readonly Impact[]; away: number | null; scale: RulerScale }) {
  return (
    <svg
      className="block w-full overflow-visible"
      style={{ height: HEIGHT + 16 }}
      role="img"
      aria-label={impact.map((i) => `after ${durationWords(i.after)} ${i.what}${i.level ? ` (${i.level})` : ""}`).join("; ")}
    >
      <line x1={`${scale.centre}%`} x2="100%" y1={HEIGHT} y2={HEIGHT} stroke="var(--line-strong)" />
      {impact.map((step, i) => {
        const from = scale.right(step.after);
        const to = impact[i + 1] ? scale.right(impact[i + 1]!.after) : 100;
        const rise = RISE[step.level ?? "unsaid"];
        const felt = away !== null && away >= step.after;
        return (
          <g key={step.after}>
            <rect
              x={`${from}%`}
              width={`${Math.max(0, to - from)}%`}
              y={HEIGHT - rise}
              height={rise}
              fill={felt ? "url(#tight-hatch)" : "var(--bar-pale)"}
              fillOpacity={felt ? 1 : 0.45}
              stroke={felt ? "var(--tight)" : "none"}
            />
            <text x={`${from}%`} dx="3" y={HEIGHT + 12} fontSize="10.5" fill={felt ? "var(--ink)" : "var(--soft)"}>
              {step.level ?? ""}
            </text>
          </g>
        );
      })}
      <text x={`${scale.centre}%`} dx="-8" y={HEIGHT - 4} textAnchor="end" fontSize="11" fill="var(--soft)">
        what is felt
      </text>
    </svg>
  );
}
