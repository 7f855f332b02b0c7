import { scaleLinear } from "d3";
import type { HourOfWeek } from "#core/copies/change-by-hour.ts";
import { sizeWords } from "#core/wording/amounts.ts";

const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const CELL = { width: 26, height: 22 };
const LEFT = 40;
const TOP = 16;

/** The week as seven rows of hours: a bar in each as high as what changed then; dotted where nothing was seen. */
export function WeekGrid({ week, label }: { week: readonly HourOfWeek[]; label: string }) {
  const most = Math.max(1, ...week.map((h) => h.rate ?? 0));
  const height = scaleLinear([0, most], [0, CELL.height - 3]);
  const width = LEFT + 24 * CELL.width;
  return (
    <svg viewBox={`0 0 ${width} ${TOP + 7 * CELL.height + 2}`} className="w-full max-w-2xl" role="img" aria-label={label}>
      {[0, 6, 12, 18].map((hour) => (
        <text key={hour} x={LEFT + hour * CELL.width} y={11} className="fill-soft text-[10px]">
          {hour} h
        </text>
      ))}
      {DAYS.map((day, d) => (
        <g key={day} transform={`translate(0 ${TOP + d * CELL.height})`}>
          <text x={0} y={CELL.height - 6} className="fill-soft text-[10px]">
            {day}
          </text>
          <line x1={LEFT} x2={width} y1={CELL.height - 0.5} y2={CELL.height - 0.5} stroke="var(--line)" />
          {week.slice(d * 24, d * 24 + 24).map((h, hour) => (
            <g key={hour} transform={`translate(${LEFT + hour * CELL.width} 0)`}>
              {h.rate === null ? (
                <line x1={3} x2={CELL.width - 3} y1={CELL.height - 3} y2={CELL.height - 3} stroke="var(--line-strong)" strokeDasharray="1 3" />
              ) : (
                <rect x={2} width={CELL.width - 4} y={CELL.height - 1 - Math.max(1, height(h.rate))} height={Math.max(1, height(h.rate))} fill="var(--bar)">
                  <title>{`${day} ${hour}–${hour + 1} h: ${sizeWords(h.rate)} an hour`}</title>
                </rect>
              )}
            </g>
          ))}
        </g>
      ))}
    </svg>
  );
}
