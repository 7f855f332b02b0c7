import { useEffect, useState } from "react";
import { Dialog } from "../ui/dialog.tsx";
import type { FrameData } from "./frame-data.ts";
import { useLive } from "./live.tsx";
import { instantText, useAddress } from "./question-link.ts";
import { toggleTheme } from "./theme.ts";

const HOUR = 3_600_000;

const isTyping = (target: EventTarget | null): boolean => target instanceof HTMLElement && (target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName));

/** Calls back at a single key, unless somebody is typing; gives what ends that. */
export function onKey(key: string, act: (event: KeyboardEvent) => void): () => void {
  const listen = (event: KeyboardEvent): void => {
    if (event.key !== key || event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target) || document.querySelector("[role=dialog]")) return;
    event.preventDefault();
    act(event);
  };
  window.addEventListener("keydown", listen);
  return () => window.removeEventListener("keydown", listen);
}

const KEYS: readonly [string, string][] = [
  ["Ctrl K", "find a service, machine or act"],
  ["l", "choose what is lost"],
  ["[ and ]", "move the needle by an hour"],
  ["n", "bring the needle back to now"],
  ["↑ and ↓", "go through a list"],
  ["Esc", "close what is open beside a list"],
  ["t", "day or night"],
  ["?", "this list"],
];

/** The keys that work everywhere, and the list of them. */
export function Keys({ frame }: { frame: FrameData }) {
  const [open, setOpen] = useState(false);
  const change = useAddress();
  const { clock } = useLive();
  const at = frame.question.isNow ? clock.instant : frame.question.at;
  useEffect(() => {
    const ends = [
      onKey("?", () => setOpen(true)),
      onKey("t", toggleTheme),
      onKey("n", () => change({ at: null })),
      onKey("[", () => change({ at: instantText(Math.round((at - HOUR) / 60_000) * 60_000) })),
      onKey("]", () => change({ at: instantText(Math.round((at + HOUR) / 60_000) * 60_000) })),
    ];
    return () => ends.forEach((end) => end());
  });
  return (
    <Dialog open={open} onOpenChange={setOpen} title="Keys" about="Everything can be reached with Tab and carried out with Enter; these are shorter ways.">
      <table className="sheet">
        <tbody>
          {KEYS.map(([key, does]) => (
            <tr key={key}>
              <th scope="row" className="figures w-28">
                {key}
              </th>
              <td>{does}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-3 text-sm text-soft">On the needle itself: ← → five minutes, with Shift an hour, Page Up and Page Down six hours, Home now.</p>
    </Dialog>
  );
}
