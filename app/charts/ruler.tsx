import { createContext, type ReactNode, useContext } from "react";
import type { Grade } from "#core/runbook/proof.ts";
import type { RulerScale } from "./ruler-scale.ts";

/** What one line of the ruler shows; seconds, null where there is none. */
export type RulerLine = {
  loss: number | null;
  away: number | null;
  /** Instants on the way, drawn as cuts in the bar. */
  cuts: number[];
  rpo: number;
  rto: number;
  mtd: number | null;
  lossState: State;
  awayState: State;
  /** The last rehearsal with the same assumed opening added. */
  rehearsed: { seconds: number; grade: Grade } | null;
  returns: boolean;
  staysUp: boolean;
};
export type State = "within" | "tight" | "late";

const FILL: Record<State, string> = { within: "var(--bar)", tight: "url(#tight-hatch)", late: "var(--late)" };
/** How much of the diamond is filled by the grade of the proof. */
const GRADE_FILL: Record<Grade, number> = { none: 0, "brought-back": 0.25, boots: 0.5, answers: 0.75, confirmed: 1 };

const ScaleContext = createContext<RulerScale | null>(null);
export const RulerScaleProvider = ({ scale, children }: { scale: RulerScale; children: ReactNode }) => <ScaleContext value={scale}>{children}</ScaleContext>;

function useScale(): RulerScale {
  const scale = useContext(ScaleContext);
  if (!scale) throw new Error("a ruler stands inside RulerScaleProvider");
  return scale;
}

/** Textures shared by all rulers and timelines of a page. */
export function Textures() {
  return (
    <svg width="0" height="0" className="absolute" aria-hidden="true">
      <defs>
        <pattern id="tight-hatch" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="5" height="5" fill="var(--ground)" />
          <rect width="2" height="5" fill="var(--tight)" />
        </pattern>
      </defs>
    </svg>
  );
}

/** The axis above all lines: data lost to the left, time away to the right. */
export function RulerAxis() {
  const scale = useScale();
  return (
    <div className="@container">
      <svg className="h-[38px] w-full overflow-visible" aria-hidden="true">
        <text x={`${scale.centre}%`} dx="-8" y="12" textAnchor="end" fontSize="12" fontWeight="650" fill="var(--soft)">
          data lost
        </text>
        <text x={`${scale.centre}%`} dx="8" y="12" fontSize="12" fontWeight="650" fill="var(--soft)">
          time away
        </text>
        {scale.ticks.map((t) => (
          <text
            key={t.side + t.seconds}
            x={`${t.percent}%`}
            y="31"
            textAnchor="middle"
            className={`figures ${t.major ? "" : "@max-[30rem]:hidden"}`}
            fontSize="10.5"
            fill="var(--soft)"
          >
            {t.text}
          </text>
        ))}
      </svg>
    </div>
  );
}

/** Hairlines behind all lines. */
export function RulerGrid() {
  const scale = useScale();
  return (
    <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
      {scale.ticks.map((t) => (
        <line key={t.side + t.seconds} x1={`${t.percent}%`} x2={`${t.percent}%`} y1="0" y2="100%" stroke="var(--line)" />
      ))}
      <line x1={`${scale.centre}%`} x2={`${scale.centre}%`} y1="0" y2="100%" stroke="var(--ink)" strokeWidth="1.5" />
    </svg>
  );
}

/** A mark with its own coordinates around a place given in percent. */
const At = ({ x, y, children }: { x: number; y: number; children: ReactNode }) => (
  <svg x={`${x}%`} y={y} overflow="visible">
    {children}
  </svg>
);

export function Ruler({ line, height = 27 }: { line: RulerLine; height?: number }) {
  const scale = useScale();
  const y = height / 2;
  const half = Math.min(10, height * 0.16);
  const big = height > 40;
  const bracket = (at: number, open: -1 | 1): ReactNode => (
    <At x={at} y={y}>
      <path d={`M${open * 5} ${-half - 4}H0V${half + 4}H${open * 5}`} fill="none" stroke="var(--ink)" strokeWidth="1.6" />
    </At>
  );
  const bar = (from: number, to: number, state: State): ReactNode => (
    <rect x={`${Math.min(from, to)}%`} width={`${Math.abs(to - from)}%`} y={y - half} height={half * 2} fill={FILL[state]} stroke={state === "tight" ? "var(--tight)" : "none"} />
  );
  const flag = (at: number, way: -1 | 1): ReactNode => (
    <At x={at} y={y}>
      <path d={`M${way * 5} ${half + 2}V${-half - 4}l${way * 9} 4 ${-way * 9} 4`} fill="var(--late)" stroke="var(--late)" strokeWidth="1.2" />
    </At>
  );
  return (
    <svg className="block w-full overflow-visible" style={{ height }} aria-hidden="true">
      {!line.returns && !line.staysUp && <rect x="0.5%" width="99%" y={y - half} height={half * 2} fill="none" stroke="var(--late)" strokeDasharray="2 3" />}
      {big && <line x1={`${scale.centre}%`} x2={`${scale.centre}%`} y1="0" y2={height} stroke="var(--ink)" strokeWidth="1.5" />}
      {line.staysUp && (
        <At x={scale.centre} y={y}>
          <circle r={half * 0.8} fill="var(--ground)" stroke="var(--bar)" strokeWidth="1.6" />
        </At>
      )}
      {line.returns && line.loss !== null && bar(scale.left(line.loss), scale.centre, line.lossState)}
      {line.returns && line.away !== null && bar(scale.centre, scale.right(line.away), line.awayState)}
      {line.returns && <rect x={`${scale.centre}%`} width="2" transform="translate(-1 0)" y={y - half} height={half * 2} fill="var(--ground)" />}
      {line.returns && line.away !== null && line.cuts.map((cut) => <rect key={cut} x={`${scale.right(cut)}%`} width="1.5" y={y - half} height={half * 2} fill="var(--ground)" />)}
      {line.mtd !== null && !line.staysUp && (
        <At x={scale.right(line.mtd)} y={y}>
          <line y1={-half - 1} y2={half + 1} stroke="var(--soft)" strokeWidth="1" />
        </At>
      )}
      {bracket(scale.left(line.rpo), 1)}
      {bracket(scale.right(line.rto), -1)}
      {line.returns && line.lossState === "late" && line.loss !== null && flag(scale.left(line.loss), -1)}
      {line.returns && line.awayState === "late" && line.away !== null && flag(scale.right(Math.max(line.away, line.rehearsed?.seconds ?? 0)), 1)}
      {line.rehearsed && (
        <At x={scale.right(line.rehearsed.seconds)} y={y}>
          <Diamond grade={line.rehearsed.grade} size={big ? 8 : 6} />
        </At>
      )}
    </svg>
  );
}

/** A proof: filled from below by its grade. */
export function Diamond({ grade, size = 6 }: { grade: Grade; size?: number }) {
  const rise = size * (1 - 2 * GRADE_FILL[grade]);
  const inner = GRADE_FILL[grade];
  const half = Math.max(0, size - Math.abs(rise));
  const fill =
    inner === 0
      ? ""
      : inner === 1
        ? `M0 ${-size}L${size} 0L0 ${size}L${-size} 0Z`
        : rise >= 0
          ? `M${-half} ${rise}H${half}L0 ${size}Z`
          : `M${-half} ${rise}H${half}L${size} 0L0 ${size}L${-size} 0Z`;
  return (
    <>
      <path d={`M0 ${-size}L${size} 0L0 ${size}L${-size} 0Z`} fill="var(--ground)" stroke="var(--ink)" strokeWidth="1.5" />
      {fill && <path d={fill} fill="var(--ink)" />}
    </>
  );
}
