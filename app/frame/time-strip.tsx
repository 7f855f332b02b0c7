import { useState } from "react";
import type { FrameData } from "./frame-data.ts";
import { useLive } from "./live.tsx";
import { LossChooser } from "./loss-chooser.tsx";
import { Needle } from "./needle.tsx";
import { PaceControl } from "./pace-control.tsx";
import { RunningWork } from "./running-work.tsx";
import { type Span, SPANS, stripScale, stripTicks } from "./strip-scale.ts";
import { momentWords } from "./zoned.ts";

const LANES_BOTTOM = 57;
const LANE_STEP = 6;

/** Past and coming days with arrivals of copies, runs, what is under way, and the needle. */
export function TimeStrip({ frame }: { frame: FrameData }) {
  const { clock } = useLive();
  const now = Math.max(clock.instant, frame.clock.instant);
  const [wanted, setSpan] = useState<Span>("day");
  const { question } = frame;
  const at = question.isNow ? now : question.at;
  const zone = frame.who.timeZone;
  // A needle outside the shorter span shows the longer one.
  const span: Span = wanted === "day" && (at < now - SPANS.day.back || at > now + SPANS.day.ahead) ? "week" : wanted;
  const scale = stripScale(span, now);
  const lane = new Map(frame.stores.map((s, i) => [s.id, LANES_BOTTOM - i * LANE_STEP]));
  return (
    <section aria-label="Time" className="no-print flex border-b border-line bg-raised">
      <div className="relative h-[82px] min-w-0 flex-1">
        <svg className="absolute inset-0 h-full w-full" aria-hidden="true">
          <rect x={`${scale.percent(now)}%`} width={`${100 - scale.percent(now)}%`} height="100%" fill="var(--ground)" />
          {stripTicks(scale, zone).map((tick) => (
            <g key={tick.at}>
              <line x1={`${scale.percent(tick.at)}%`} x2={`${scale.percent(tick.at)}%`} y1="62" y2="66" stroke="var(--line-strong)" />
              <text
                x={`${scale.percent(tick.at)}%`}
                y="77"
                textAnchor="middle"
                className="figures"
                fontSize="10.5"
                fontWeight={tick.strong ? 700 : 400}
                fill={tick.strong ? "var(--ink)" : "var(--soft)"}
              >
                {tick.text}
              </text>
            </g>
          ))}
          <line x1="0" x2="100%" y1="62" y2="62" stroke="var(--line-strong)" />
          {frame.arrivals.map((a) => (
            <Dash
              key={`${a.store}${a.from}`}
              scale={scale}
              from={a.from}
              to={a.to}
              y={lane.get(a.store) ?? LANES_BOTTOM}
              fill="var(--bar)"
              opacity={0.35 + Math.min(0.5, a.count / 30)}
            />
          ))}
          {frame.ahead.map((a) => (
            <Dash key={`${a.store}${a.from}`} scale={scale} from={a.from} to={a.to} y={lane.get(a.store) ?? LANES_BOTTOM} fill="none" stroke="var(--line-strong)" opacity={1} />
          ))}
          {frame.runs.map((run) => (
            <Dash
              key={run.id}
              scale={scale}
              from={run.from}
              to={run.to ?? now}
              y={LANES_BOTTOM - frame.stores.length * LANE_STEP}
              fill="var(--accent)"
              opacity={run.to === null ? 1 : 0.55}
              tall
            />
          ))}
        </svg>
        <RunningWork frame={frame} scale={scale} lane={lane} now={now} />
        <Needle frame={frame} scale={scale} at={at} now={now} />
      </div>
      <div className="flex w-[17rem] shrink-0 flex-col justify-between border-l border-line px-3 py-1.5 text-sm">
        <LossChooser frame={frame} />
        <div className="flex items-baseline justify-between gap-2 text-xs text-soft">
          <span className="figures" title={wallWords(now)}>
            {momentWords(now, zone)}
          </span>
          <PaceControl pace={frame.pace} mayAct={frame.who.role === "coordinator"} />
          <button
            type="button"
            className="rounded-sm px-1 hover:text-ink"
            aria-label={`The strip shows ${SPANS[span].words}; show ${SPANS[span === "day" ? "week" : "day"].words}`}
            onClick={() => setSpan(span === "day" ? "week" : "day")}
          >
            {span}
          </button>
        </div>
      </div>
    </section>
  );
}

/** Model time is not the wall's where the world has been hurried; the hover says by how much. */
function wallWords(now: number): string {
  return `Model time ${new Date(now).toISOString().slice(0, 19)}Z. Copies, runs and the needle are in it; sign-ins and the audit trail show the wall's clock too.`;
}

function Dash({
  scale,
  from,
  to,
  y,
  fill,
  stroke,
  opacity,
  tall,
}: {
  scale: ReturnType<typeof stripScale>;
  from: number;
  to: number;
  y: number;
  fill: string;
  stroke?: string;
  opacity: number;
  tall?: boolean;
}) {
  const left = scale.percent(from);
  const width = Math.max(0.25, scale.percent(to) - left);
  if (left > 100 || left + width < 0) return null;
  return <rect x={`${left}%`} y={y} width={`${width}%`} height={tall ? 5 : 3} fill={fill} stroke={stroke} opacity={opacity} />;
}
