import { DropdownMenu } from "radix-ui";
import { useFetcher } from "react-router";
import { Notice } from "../ui/notice.tsx";
import { useLive } from "./live.tsx";

export const PACES = {
  wall: "the wall's pace",
  hurried: "hurried while something is awaited",
  "always-hurried": "hurried always",
  events: "from event to event",
} as const;
export type PaceMode = keyof typeof PACES;

const effectiveWords = (effective: number | "events"): string => (effective === "events" ? "event to event" : `${effective}×`);

/** How fast the stand-in world's time goes. */
export function PaceControl({ pace, mayAct }: { pace: { mode: PaceMode; factor: number }; mayAct: boolean }) {
  const { clock } = useLive();
  const fetcher = useFetcher<{ error?: string }>();
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="figures rounded-sm px-1 hover:text-ink" aria-label={`Pace of model time: ${effectiveWords(clock.effective)}, ${PACES[pace.mode]}`}>
        {effectiveWords(clock.effective)}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={6} className="z-40 w-72 rounded border border-line-strong bg-raised p-2 text-sm">
          <DropdownMenu.Label className="px-2 pb-1 text-xs text-soft">
            Pace of the stand-in world ({pace.factor}× when hurried). A step that waits for a hand brings it back to the wall's.
          </DropdownMenu.Label>
          <DropdownMenu.RadioGroup value={pace.mode} onValueChange={(mode) => void fetcher.submit({ mode }, { method: "post", action: "/pace" })}>
            {Object.entries(PACES).map(([mode, words]) => (
              <DropdownMenu.RadioItem
                key={mode}
                value={mode}
                disabled={!mayAct}
                className="flex items-center gap-2 rounded-sm px-2 py-1 outline-none data-disabled:opacity-50 data-highlighted:bg-chosen"
              >
                <span className="w-3">
                  <DropdownMenu.ItemIndicator>•</DropdownMenu.ItemIndicator>
                </span>
                {words}
              </DropdownMenu.RadioItem>
            ))}
          </DropdownMenu.RadioGroup>
          {fetcher.data?.error && <Notice kind="wrong">{fetcher.data.error}</Notice>}
          {!mayAct && <p className="px-2 pt-1 text-xs text-soft">Only a coordinator may change it.</p>}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
