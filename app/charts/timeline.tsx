import { type ReactNode, useState } from "react";
import { durationWords } from "#core/wording/amounts.ts";
import { machineLanes } from "./machine-lanes.ts";

/** One step as it is drawn; seconds from the strike (or a run's beginning). */
export type TimelineBar = {
  id: string;
  title: string;
  short: string;
  start: number;
  finish: number;
  /** When it could have started had nothing been shared. */
  ready: number;
  waitsFor: string | null;
  onChain: boolean;
  /** Steps of one machine share a lane; those of the service itself stand in the first. */
  machine: string | null;
  state: "projected" | "waiting" | "running" | "hand" | "done" | "failed" | "skipped";
  /** What was projected, beside what was measured. */
  projected?: { start: number; finish: number };
};
export type TimelineRow = {
  id: string;
  name: string;
  note: string;
  bars: TimelineBar[];
  rto: number | null;
  verdict: { text: string; late: boolean } | null;
  href: string | null;
  chosen: boolean;
};
/** Something that steps share: how much of it is used from an instant on, and whether that is all there is; `amount` is its capacity in words. */
export type SharedStrip = { id: string; name: string; capacity: number; amount: string; usage: { at: number; used: number; full: boolean }[] };

const LANE = 24;
const ROW_PAD = 5;
const NAME_REM = 9.5;

/** Round steps of time for an axis with some eight marks. */
const TICK_STEPS = [30, 60, 120, 300, 600, 900, 1_800, 3_600, 7_200, 14_400, 28_800, 86_400];

/** Steps of a runbook or run against time, the chain that decides one service drawn through them. */
export function TimelineChart({
  rows,
  end,
  origin,
  strips,
  nowAt,
  renderName,
}: {
  rows: readonly TimelineRow[];
  end: number;
  origin: string;
  strips: readonly SharedStrip[];
  nowAt?: number;
  renderName: (row: TimelineRow) => ReactNode;
}) {
  const [zoom, setZoom] = useState(1);
  const percent = (seconds: number): number => (seconds / end) * 80;
  const tickStep = TICK_STEPS.find((s) => end / s <= 8 * zoom) ?? 86_400;
  const ticks = Array.from({ length: Math.floor(end / tickStep) }, (_, i) => (i + 1) * tickStep);
  const laid = layRows(rows);
  const height = laid.height;
  return (
    <div>
      <div className="no-print mb-1 flex items-center justify-end gap-1 text-xs text-soft">
        {[1, 2, 4, 8].map((z) => (
          <button
            key={z}
            type="button"
            aria-pressed={z === zoom}
            onClick={() => setZoom(z)}
            className={`figures rounded-sm px-1.5 ${z === zoom ? "font-bold text-ink" : "hover:text-ink"}`}
          >
            {z}×
          </button>
        ))}
      </div>
      <div className="overflow-x-auto" tabIndex={0} role="group" aria-label="Timeline">
        <div className="grid" style={{ gridTemplateColumns: `${NAME_REM}rem minmax(0,1fr)`, width: `${zoom * 100}%` }}>
          <div />
          <div className="relative h-6 text-[10.5px] text-soft">
            <span className="figures absolute left-0">{origin}</span>
            {ticks.map((t) => (
              <span key={t} className="figures absolute -translate-x-1/2 whitespace-nowrap" style={{ left: `${percent(t)}%` }}>
                +{durationWords(t)}
              </span>
            ))}
          </div>
          <div className="sticky left-0 z-10 bg-ground">
            {laid.rows.map(({ row, rowHeight }) => (
              <div key={row.id} className={`border-b border-line pr-2 ${row.chosen ? "bg-chosen" : ""}`} style={{ height: rowHeight }}>
                {renderName(row)}
              </div>
            ))}
          </div>
          <div className="relative" style={{ height }}>
            <svg className="pointer-events-none absolute inset-0 h-full w-full overflow-visible" aria-hidden="true">
              <line x1="0" x2="0" y1="0" y2={height} stroke="var(--ink)" strokeWidth="1.5" />
              {ticks.map((t) => (
                <line key={t} x1={`${percent(t)}%`} x2={`${percent(t)}%`} y1="0" y2={height} stroke="var(--line)" />
              ))}
              {laid.rows.map(({ row, top, rowHeight }) => (
                <line key={row.id} x1="0" x2="100%" y1={top + rowHeight - 0.5} y2={top + rowHeight - 0.5} stroke="var(--line)" />
              ))}
              {nowAt !== undefined && nowAt <= end && <line x1={`${percent(nowAt)}%`} x2={`${percent(nowAt)}%`} y1="0" y2={height} stroke="var(--accent)" strokeWidth="1.5" />}
              {laid.links.map((l) => (
                <g key={l.key} stroke="var(--accent)" strokeWidth="1.5" fill="none">
                  <line x1={`${percent(l.at)}%`} x2={`${percent(l.at)}%`} y1={l.from} y2={l.to} />
                </g>
              ))}
            </svg>
            {laid.rows.map(({ row, top, rowHeight, laneOf }) => (
              <div key={row.id}>
                {row.bars.map((bar) => (
                  <Bar key={bar.id} bar={bar} top={top + ROW_PAD + (laneOf.get(bar) ?? 0) * LANE} percent={percent} />
                ))}
                {row.rto !== null && row.rto <= end && (
                  <svg className="pointer-events-none absolute overflow-visible" style={{ left: `${percent(row.rto)}%`, top: top + 3 }} width="1" height="1" aria-hidden="true">
                    <path d={`M-5 0H0V${rowHeight - 7}H-5`} fill="none" stroke={row.verdict?.late ? "var(--late)" : "var(--ink)"} strokeWidth="1.6" />
                  </svg>
                )}
                {row.verdict && row.bars.length > 0 && (
                  <span
                    className={`pointer-events-none absolute text-xs whitespace-nowrap ${row.verdict.late ? "font-semibold text-late" : "text-soft"}`}
                    style={{
                      ...verdictPlace(percent(Math.max(...row.bars.map((b) => b.finish), row.rto !== null && row.rto <= end && row.verdict.late ? row.rto : 0))),
                      top: top + rowHeight - ROW_PAD - 20,
                    }}
                  >
                    {row.verdict.text}
                  </span>
                )}
              </div>
            ))}
          </div>
          {strips.length > 0 && (
            <>
              <div className="sticky left-0 border-b border-line-strong bg-ground pt-3 text-xs font-semibold">What they share</div>
              <div className="border-b border-line-strong pt-3" />
              {strips.map((strip) => (
                <Strip key={strip.id} strip={strip} percent={percent} end={end} />
              ))}
            </>
          )}
        </div>
      </div>
    </div>
  );
}

const verdictPlace = (end: number): { left: string } | { right: string } => (end > 86 ? { right: "0" } : { left: `calc(${end}% + 8px)` });

/** Neighbouring stretches with the same use are one. */
const merged = (usage: SharedStrip["usage"]): SharedStrip["usage"] => usage.filter((u, i) => i === 0 || usage[i - 1]!.used !== u.used);

type LaidRow = { row: TimelineRow; top: number; rowHeight: number; laneOf: Map<TimelineBar, number> };

/** Heights of the rows, and the joints of the chain: where one step hands on to the next in another place. */
function layRows(rows: readonly TimelineRow[]): { rows: LaidRow[]; height: number; links: { key: string; at: number; from: number; to: number }[] } {
  let top = 0;
  const laid = rows.map((row): LaidRow => {
    const { lanes, laneOf } = machineLanes(row.bars);
    const rowHeight = lanes * LANE + ROW_PAD * 2;
    const here = { row, top, rowHeight, laneOf };
    top += rowHeight;
    return here;
  });
  const chain = laid
    .flatMap((l) => l.row.bars.filter((b) => b.onChain).map((bar) => ({ bar, y: l.top + ROW_PAD + (l.laneOf.get(bar) ?? 0) * LANE })))
    .sort((a, b) => a.bar.start - b.bar.start || a.bar.finish - b.bar.finish);
  const links = chain.slice(1).flatMap(({ bar, y }, i) => {
    const before = chain[i]!;
    return Math.abs(before.y - y) < 1 ? [] : [{ key: bar.id, at: bar.start, from: before.y + 19, to: y + (y > before.y ? 0 : 19) }];
  });
  return { rows: laid, height: top, links };
}

const LOOK: Record<TimelineBar["state"], string> = {
  projected: "",
  waiting: "border border-dashed border-line-strong text-soft",
  running: "bg-accent text-on-accent",
  hand: "border-2 border-accent bg-raised text-ink",
  done: "bg-bar text-ground",
  failed: "bg-late text-ground",
  skipped: "border border-dashed border-late text-late",
};

function Bar({ bar, top, percent }: { bar: TimelineBar; top: number; percent: (seconds: number) => number }) {
  const left = percent(bar.start);
  const width = Math.max(0.12, percent(bar.finish) - left);
  const waits = bar.start - bar.ready > 1 && bar.waitsFor !== null;
  const words = `${bar.title}: ${durationWords(bar.start)} to ${durationWords(bar.finish)}, takes ${durationWords(bar.finish - bar.start)}${waits ? `; waits ${durationWords(bar.start - bar.ready)} for ${bar.waitsFor}` : ""}${bar.projected ? `; projected ${durationWords(bar.projected.finish - bar.projected.start)}` : ""}`;
  const look = bar.state === "projected" ? (bar.onChain ? "bg-bar text-ground" : "bg-bar-pale text-ink") : LOOK[bar.state];
  return (
    <>
      {waits && bar.onChain && (
        <div
          className="absolute border border-dashed border-late"
          style={{ left: `${percent(bar.ready)}%`, width: `${left - percent(bar.ready)}%`, top: top + 2, height: 16 }}
          aria-hidden="true"
        />
      )}
      {bar.projected && (
        <div
          className="absolute h-[3px] bg-bar-pale"
          style={{ left: `${percent(bar.projected.start)}%`, width: `${Math.max(0.12, percent(bar.projected.finish) - percent(bar.projected.start))}%`, top: top + 20 }}
          aria-hidden="true"
        />
      )}
      <div
        title={words}
        className={`@container absolute overflow-hidden px-1 text-[11px] leading-[19px] whitespace-nowrap ${look}`}
        style={{ left: `${left}%`, width: `calc(${width}% - 1px)`, minWidth: 2, top, height: 19 }}
        role="img"
        aria-label={words}
      >
        <span aria-hidden="true" className="@max-[2.6rem]:hidden">
          {bar.short}
        </span>
      </div>
      {bar.onChain && bar.state === "projected" && (
        <div className="absolute h-[3px] bg-accent" style={{ left: `${left}%`, width: `calc(${width}% - 1px)`, top: top + 19 }} aria-hidden="true" />
      )}
    </>
  );
}

const STRIP = 40;
const fullSeconds = (usage: SharedStrip["usage"], end: number): number => usage.reduce((sum, u, i) => sum + (u.full ? (usage[i + 1]?.at ?? end) - u.at : 0), 0);

function Strip({ strip, percent, end }: { strip: SharedStrip; percent: (seconds: number) => number; end: number }) {
  const unit = (STRIP - 8) / strip.capacity;
  const usage = merged(strip.usage);
  return (
    <>
      <div className="sticky left-0 z-10 border-b border-line bg-ground pr-2 text-xs leading-tight" style={{ height: STRIP }}>
        <span className="line-clamp-2 pt-1">
          {strip.name} <span className="text-soft">({strip.amount})</span>
        </span>
      </div>
      <svg
        className="w-full border-b border-line"
        style={{ height: STRIP }}
        role="img"
        aria-label={`${strip.name}: ${strip.amount} at most${strip.usage.some((u) => u.full) ? `; all in use ${durationWords(fullSeconds(usage, end))}` : ""}`}
      >
        <line x1="0" x2="100%" y1="5" y2="5" stroke="var(--line-strong)" strokeDasharray="2 3" />
        {usage.map((u, i) => {
          const until = usage[i + 1]?.at ?? end;
          if (u.used === 0) return null;
          return (
            <g key={u.at}>
              <rect x={`${percent(u.at)}%`} width={`${percent(until) - percent(u.at)}%`} y={STRIP - 3 - unit * u.used} height={unit * u.used} fill="var(--bar-pale)" />
              {u.full && <rect x={`${percent(u.at)}%`} width={`${percent(until) - percent(u.at)}%`} y="4" height="2.5" fill="var(--late)" />}
            </g>
          );
        })}
      </svg>
    </>
  );
}
