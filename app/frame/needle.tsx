import { Popover } from "radix-ui";
import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import { REACH_AHEAD_SECONDS, REACH_BACK_SECONDS } from "#core/outage/question.ts";
import { listWords } from "#core/wording/amounts.ts";
import { Button } from "../ui/button.tsx";
import type { FrameData } from "./frame-data.ts";
import { instantText, useAddress } from "./question-link.ts";
import type { StripScale } from "./strip-scale.ts";
import { fromZone, fullWords, inZone, nearWords } from "./zoned.ts";

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
/** While dragging, pages recompute at most this often. */
const DRAG_EVERY_MS = 160;
const SNAP_TO_NOW_PERCENT = 0.6;

/** The moment at which the outage is assumed to strike: dragged, set by keyboard, or typed. */
export function Needle({ frame, scale, at, now }: { frame: FrameData; scale: StripScale; at: number; now: number }) {
  const change = useAddress();
  const track = useRef<HTMLDivElement>(null);
  const [dragged, setDragged] = useState<number | null>(null);
  const lastSent = useRef(0);
  const zone = frame.who.timeZone;
  const shown = dragged ?? at;
  const percent = Math.min(100, Math.max(0, scale.percent(shown)));
  const isNow = dragged === null ? frame.question.isNow : Math.abs(scale.percent(dragged) - scale.percent(now)) < SNAP_TO_NOW_PERCENT;
  const words = isNow ? `Strikes now, ${nearWords(now, zone, now)}` : `${shown < now ? "Struck" : "Strikes"} ${nearWords(shown, zone, now)}`;
  const lost = frame.lostNames.length > 0 ? `${listWords(frame.lostNames)} ${frame.lostNames.length > 1 ? "are" : "is"} lost` : "nothing is lost";

  const move = (instant: number, replace: boolean): void => {
    const bounded = Math.min(now + REACH_AHEAD_SECONDS * 1000, Math.max(now - REACH_BACK_SECONDS * 1000, instant));
    const toNow = Math.abs(scale.percent(bounded) - scale.percent(now)) < SNAP_TO_NOW_PERCENT && replace;
    change({ at: toNow ? null : instantText(Math.round(bounded / MINUTE) * MINUTE) }, replace);
  };
  const instantAt = (event: PointerEvent): number => {
    const box = track.current!.getBoundingClientRect();
    return scale.instant(Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)));
  };
  const onPointerDown = (event: PointerEvent<HTMLDivElement>): void => {
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    setDragged(instantAt(event));
  };
  const onPointerMove = (event: PointerEvent): void => {
    if (dragged === null) return;
    const instant = instantAt(event);
    setDragged(instant);
    if (Date.now() - lastSent.current < DRAG_EVERY_MS) return;
    lastSent.current = Date.now();
    move(instant, true);
  };
  const onPointerUp = (event: PointerEvent): void => {
    if (dragged === null) return;
    move(instantAt(event), true);
    setDragged(null);
  };
  const step = (by: number): void => move(at + by, false);
  const onKeyDown = (event: KeyboardEvent): void => {
    const by = { ArrowLeft: -5 * MINUTE, ArrowDown: -5 * MINUTE, ArrowRight: 5 * MINUTE, ArrowUp: 5 * MINUTE, PageDown: -6 * HOUR, PageUp: 6 * HOUR }[event.key];
    if (event.key === "Home") change({ at: null });
    else if (by === undefined) return;
    else step(event.shiftKey ? Math.sign(by) * HOUR : by);
    event.preventDefault();
  };
  const flips = percent > 62;
  return (
    <>
      <div
        ref={track}
        className="absolute inset-x-0 top-[20px] bottom-0 cursor-ew-resize touch-none"
        onPointerDown={onPointerDown}
        onPointerMove={onPointerMove}
        onPointerUp={onPointerUp}
      />
      <div
        role="slider"
        tabIndex={0}
        aria-label="Strike"
        aria-valuemin={-REACH_BACK_SECONDS / 60}
        aria-valuemax={REACH_AHEAD_SECONDS / 60}
        aria-valuenow={Math.round((shown - now) / MINUTE)}
        aria-valuetext={`${words}, ${lost}`}
        onKeyDown={onKeyDown}
        className="pointer-events-none absolute top-0 bottom-0 w-0"
        style={{ left: `${percent}%` }}
      >
        <span className="absolute top-0 bottom-0 -left-px w-0.5 bg-accent" />
        <svg width="16" height="14" className="absolute -left-2" aria-hidden="true">
          <path d="M1 0h14v7l-7 7-7-7Z" fill="var(--accent)" />
        </svg>
      </div>
      <div className="absolute top-0.5 z-10 whitespace-nowrap" style={flips ? { right: `calc(${100 - percent}% + 14px)` } : { left: `calc(${percent}% + 14px)` }}>
        <StrikePicker
          key={String(isNow)}
          at={shown}
          isNow={isNow}
          zone={zone}
          words={`${words} · ${lost}`}
          onPick={(instant) => (instant === null ? change({ at: null }) : move(instant, false))}
        />
      </div>
    </>
  );
}

function StrikePicker({ at, isNow, zone, words, onPick }: { at: number; isNow: boolean; zone: string; words: string; onPick: (instant: number | null) => void }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  useEffect(() => {
    if (open) setText(inZone(at, zone).toFormat("yyyy-LL-dd'T'HH:mm"));
    // The field starts from the needle when it is opened and is the person's from then on.
  }, [open]);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="rounded-sm bg-raised px-1 text-sm font-semibold text-accent hover:underline" title={fullWords(at, zone)}>
        {words}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={6} className="z-40 w-72 rounded border border-line-strong bg-raised p-4 text-sm">
          <form
            onSubmit={(event) => {
              event.preventDefault();
              const instant = fromZone(text, zone);
              if (instant === undefined) return;
              onPick(instant);
              setOpen(false);
            }}
          >
            <label className="block font-semibold" htmlFor="strike-at">
              The outage strikes at
            </label>
            <input
              id="strike-at"
              type="datetime-local"
              required
              value={text}
              onChange={(e) => setText(e.target.value)}
              className="figures mt-1 w-full rounded-[3px] border border-line-strong bg-ground px-2 py-1"
            />
            <p className="mt-1 text-xs text-soft">{zone}; from a week ago to two days ahead.</p>
            <div className="mt-3 flex gap-2">
              <Button kind="act" type="submit">
                Set the needle
              </Button>
              {!isNow && (
                <Button
                  onClick={() => {
                    onPick(null);
                    setOpen(false);
                  }}
                >
                  Back to now
                </Button>
              )}
            </div>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
