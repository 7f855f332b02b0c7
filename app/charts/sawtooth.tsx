import { scaleLinear, scaleTime } from "d3";
import { durationWords } from "#core/wording/amounts.ts";
import type { ExposureVertex } from "#core/copies/exposure.ts";

const WIDTH = 300;
const HEIGHT = 110;
const PAD = { left: 4, right: 4, top: 8, bottom: 18 };

/** Data at risk over time: rises until a copy arrives. What lies above the target is drawn in the tone of lateness. */
export function Sawtooth({ vertices, target, fromWords, toWords }: { vertices: readonly ExposureVertex[]; target: number | null; fromWords: string; toWords: string }) {
  const known = vertices.filter((v): v is { at: number; seconds: number } => v.seconds !== null);
  if (known.length === 0) return <p className="text-sm text-soft">Nothing had arrived in a surviving store in this stretch.</p>;
  const most = Math.max(...known.map((v) => v.seconds), target ?? 0) * 1.08;
  const x = scaleTime([vertices[0]!.at, vertices.at(-1)!.at], [PAD.left, WIDTH - PAD.right]);
  const y = scaleLinear([0, most], [HEIGHT - PAD.bottom, PAD.top]);
  const path = known.map((v, i) => `${i === 0 ? "M" : "L"}${x(v.at).toFixed(1)} ${y(v.seconds).toFixed(1)}`).join("");
  const worst = Math.max(...known.map((v) => v.seconds));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full"
      role="img"
      aria-label={`Data at risk from ${fromWords} to ${toWords}: worst ${durationWords(worst)}${target === null ? "" : `, target ${durationWords(target)}`}`}
    >
      {target !== null && (
        <>
          <clipPath id="above">
            <rect x="0" y="0" width={WIDTH} height={y(target)} />
          </clipPath>
          <path d={`${path}L${x(known.at(-1)!.at)} ${y(0)}L${x(known[0]!.at)} ${y(0)}Z`} fill="var(--late)" opacity="0.14" clipPath="url(#above)" />
        </>
      )}
      <path d={path} fill="none" stroke="var(--bar)" strokeWidth="1.4" strokeLinejoin="round" />
      {target !== null && <path d={path} fill="none" stroke="var(--late)" strokeWidth="1.6" clipPath="url(#above)" />}
      {target !== null && (
        <>
          <line x1={PAD.left} x2={WIDTH - PAD.right} y1={y(target)} y2={y(target)} stroke="var(--ink)" strokeDasharray="3 3" />
          <text x={WIDTH - PAD.right} y={y(target) - 3} textAnchor="end" fontSize="10.5" fill="var(--ink)" stroke="var(--raised)" strokeWidth="3" paintOrder="stroke">
            RPO {durationWords(target)}
          </text>
        </>
      )}
      <text x={PAD.left} y={PAD.top + 6} fontSize="10.5" fill="var(--soft)" stroke="var(--raised)" strokeWidth="3" paintOrder="stroke">
        worst {durationWords(worst)}
      </text>
      <line x1={PAD.left} x2={WIDTH - PAD.right} y1={HEIGHT - PAD.bottom} y2={HEIGHT - PAD.bottom} stroke="var(--line-strong)" />
      <text x={PAD.left} y={HEIGHT - 4} fontSize="10.5" fill="var(--soft)">
        {fromWords}
      </text>
      <text x={WIDTH - PAD.right} y={HEIGHT - 4} textAnchor="end" fontSize="10.5" fill="var(--soft)">
        {toWords}
      </text>
    </svg>
  );
}
