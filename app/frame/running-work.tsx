import { Popover } from "radix-ui";
import { useFetcher } from "react-router";
import { byStore, type LegUnderWay, legsUnderWay, type StoreUnderWay } from "#core/copies/under-way.ts";
import { countWords, durationWords, rateWords, sizeWords } from "#core/wording/amounts.ts";
import { Button } from "../ui/button.tsx";
import { Notice } from "../ui/notice.tsx";
import type { FrameData } from "./frame-data.ts";
import { useLive } from "./live.tsx";
import type { StripScale } from "./strip-scale.ts";

const OPEN = ["waiting", "running", "stopping"];

/** What is running grows on the strip from its beginning to its expected end; opened, it can be stopped there. */
export function RunningWork({ frame, scale, lane, now }: { frame: FrameData; scale: StripScale; lane: Map<string, number>; now: number }) {
  const { clock } = useLive();
  const open = new Set(frame.works.filter((w) => OPEN.includes(w.state)).map((w) => w.id));
  const legs = legsUnderWay(
    frame.legs.filter((l) => open.has(l.work)),
    clock.flows,
  );
  const stores = byStore(legs);
  const halted = frame.works.filter((w) => !OPEN.includes(w.state));
  if (frame.works.length === 0) return null;
  const left = Math.min(70, scale.percent(now));
  return (
    <>
      <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
        {stores.map((s) => {
          const from = scale.percent(s.beganAt);
          const end = scale.percent(now + (s.secondsLeft ?? 0) * 1000);
          return (
            <g key={s.store}>
              <rect x={`${from}%`} y={(lane.get(s.store) ?? 57) - 1} width={`${Math.max(0.3, end - from)}%`} height="5" fill="none" stroke="var(--accent)" />
              <rect x={`${from}%`} y={(lane.get(s.store) ?? 57) - 1} width={`${Math.max(0.3, scale.percent(now) - from)}%`} height="5" fill="var(--accent)" />
            </g>
          );
        })}
      </svg>
      <div className="absolute top-[27px] z-10 whitespace-nowrap" style={{ left: `calc(${left}% + 14px)`, maxWidth: `calc(${100 - left}% - 20px)` }}>
        <Popover.Root>
          <Popover.Trigger className="block max-w-full truncate rounded-sm bg-ground px-1 text-xs font-semibold text-accent hover:underline" data-testid="running">
            {summary(frame, stores, open.size, halted.length)}
          </Popover.Trigger>
          <Popover.Portal>
            <Popover.Content align="start" sideOffset={6} className="z-40 max-h-[70vh] w-[min(46rem,94vw)] overflow-y-auto rounded border border-line-strong bg-raised p-4 text-sm">
              <WorkList frame={frame} legs={legs} />
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      </div>
    </>
  );
}

function summary(frame: FrameData, stores: StoreUnderWay[], open: number, halted: number): string {
  const rest = halted > 0 ? ` · ${halted} stopped or failed` : "";
  const first = [...stores].sort((a, b) => (b.secondsLeft ?? 0) - (a.secondsLeft ?? 0))[0];
  if (!first) return open > 0 ? `${countWords(open, "task")} under way${rest}` : `${countWords(halted, "task")} stopped or failed`;
  const name = frame.stores.find((s) => s.id === first.store)?.name ?? first.store;
  const more = stores.length > 1 ? ` · ${stores.length - 1} more ${stores.length === 2 ? "store" : "stores"}` : "";
  return `${countWords(first.machines, "machine")} to ${name} · ${rateWords(first.rate)} · ${first.secondsLeft === null ? "waits" : `${durationWords(first.secondsLeft)} left`}${more}${rest}`;
}

function WorkList({ frame, legs }: { frame: FrameData; legs: LegUnderWay[] }) {
  const fetcher = useFetcher<{ error?: string }>();
  const mayAct = frame.who.role === "coordinator";
  const names = new Map(frame.stores.map((s) => [s.id, s.name]));
  const submit = (act: string, work: string): void => void fetcher.submit({ act, work }, { method: "post", action: "/copies" });
  return (
    <>
      <h2>Under way</h2>
      {fetcher.data?.error && <Notice kind="wrong">{fetcher.data.error}</Notice>}
      <table className="sheet mt-1">
        <thead>
          <tr>
            <th>What</th>
            <th>Leg</th>
            <th>Moved</th>
            <th>Left</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {frame.works.map((work) => {
            const mine = legs.filter((l) => l.work === work.id);
            return (
              <tr key={work.id}>
                <td className="figures">{work.kind === "run" ? "rehearsal" : work.title}</td>
                <td>
                  {mine.map((l) => (
                    <div key={l.leg}>{`${l.from} → ${names.get(l.to) ?? l.to}`}</div>
                  ))}
                  {work.failure && <span className="text-late">{work.failure}</span>}
                  {work.note}
                </td>
                <td className="figures whitespace-nowrap">
                  {mine.map((l) => (
                    <div key={l.leg}>{`${sizeWords(l.moved)} of ${sizeWords(l.total)}`}</div>
                  ))}
                </td>
                <td className="figures whitespace-nowrap">
                  {mine.length > 0
                    ? mine.map((l) => <div key={l.leg}>{l.secondsLeft === null ? "waits" : `${durationWords(l.secondsLeft)} at ${rateWords(l.rate)}`}</div>)
                    : work.state}
                </td>
                <td className="whitespace-nowrap">
                  {OPEN.includes(work.state) && work.state !== "stopping" && (
                    <Button disabled={!mayAct} aria-label={`Stop ${work.title}`} onClick={() => submit("stop", work.id)}>
                      Stop
                    </Button>
                  )}
                  {["stopped", "failed"].includes(work.state) && (
                    <span className="flex gap-1">
                      <Button disabled={!mayAct} aria-label={`Go on with ${work.title}`} onClick={() => submit("go-on", work.id)}>
                        Go on
                      </Button>
                      {work.kind !== "run" && (
                        <Button disabled={!mayAct} aria-label={`Drop ${work.title}`} onClick={() => submit("drop", work.id)}>
                          Drop
                        </Button>
                      )}
                    </span>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="mt-2 text-xs text-soft">Stopped work keeps what has arrived and goes on at the next slice.</p>
    </>
  );
}
