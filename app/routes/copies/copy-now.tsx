import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { countWords, durationWords } from "#core/wording/amounts.ts";
import { useMayAct } from "../../frame/who.ts";
import { Button } from "../../ui/button.tsx";
import type { CopiesView } from "./copies-view.ts";
import { CopyDialog } from "./copy-dialog.tsx";

/** Copies the machines of a policy now; which policy is asked where there are several. */
export function CopyNow({ policies }: { policies: CopiesView["policies"] }) {
  const mayAct = useMayAct();
  const [chosen, setChosen] = useState<string | null>(null);
  const [said, setSaid] = useState("");
  const policy = policies.find((p) => p.id === chosen);
  if (policies.length === 0) return null;
  return (
    <div className="flex items-baseline gap-3">
      <p role="status" className="text-xs text-soft">
        {said || (!mayAct && "Observers may look, not act.")}
      </p>
      {policies.length === 1 ? (
        <Button kind="act" disabled={!mayAct} onClick={() => setChosen(policies[0]!.id)}>
          Copy now
        </Button>
      ) : (
        <DropdownMenu.Root>
          <DropdownMenu.Trigger asChild>
            <Button kind="act" disabled={!mayAct}>
              Copy now
            </Button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content align="end" sideOffset={4} className="z-40 rounded border border-line-strong bg-raised p-1 text-sm">
              {policies.map((p) => (
                <DropdownMenu.Item key={p.id} onSelect={() => setChosen(p.id)} className="flex justify-between gap-6 rounded-sm px-2 py-1 outline-none data-highlighted:bg-chosen">
                  <span>{p.name}</span>
                  <span className="text-soft">
                    {countWords(p.count, "machine")}, every {durationWords(p.every)}
                  </span>
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      )}
      {policy && <CopyDialog key={policy.id} open onOpenChange={(open) => !open && setChosen(null)} policy={policy} onAsked={setSaid} />}
    </div>
  );
}
