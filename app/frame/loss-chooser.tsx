import { ChevronDown } from "lucide-react";
import { Popover } from "radix-ui";
import { useEffect, useState } from "react";
import { listWords } from "#core/wording/amounts.ts";
import type { FrameData } from "./frame-data.ts";
import { onKey } from "./keys.tsx";
import { Choice } from "../ui/choice.tsx";
import { useSettling } from "../ui/use-settling.ts";
import { useAddress } from "./question-link.ts";

/** What is assumed lost: one thing or several; without a choice the site whose loss hurts most. */
export function LossChooser({ frame }: { frame: FrameData }) {
  const change = useAddress();
  const [open, setOpen] = useState(false);
  useEffect(() => onKey("l", () => setOpen(true)), []);
  const [lost, setLost] = useSettling(frame.question.lost);
  const set = (ids: string[]): void => {
    setLost(ids);
    change({ lost: ids });
  };
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="flex w-full items-center justify-between gap-2 rounded-[3px] border border-line-strong bg-ground px-2 py-1 text-left hover:border-accent">
        <span className="truncate">
          <span className="text-soft">What is lost: </span>
          <span className="font-semibold">{frame.lostNames.length > 0 ? listWords(frame.lostNames) : "nothing"}</span>
        </span>
        <ChevronDown size={14} className="shrink-0 text-soft" aria-hidden="true" />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="z-40 max-h-[70vh] w-80 overflow-y-auto rounded border border-line-strong bg-raised p-4 text-sm">
          {frame.canBeLost.map(({ kind, items }) => (
            <fieldset key={kind} className="mt-3 first:mt-0">
              <legend className="text-xs font-semibold text-soft">{kind}</legend>
              {items.map((item) => (
                <Choice
                  key={item.id}
                  type="checkbox"
                  checked={lost.includes(item.id)}
                  onChange={(e) => set(e.target.checked ? [...lost, item.id] : lost.filter((id) => id !== item.id))}
                  {...(item.misses === null ? {} : { aside: item.misses === 0 ? "none misses" : `${item.misses} ${item.misses === 1 ? "misses" : "miss"}` })}
                >
                  {item.name}
                </Choice>
              ))}
            </fieldset>
          ))}
          <button type="button" className="plain-link mt-3" onClick={() => change({ lost: null })}>
            The site whose loss hurts most
          </button>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
