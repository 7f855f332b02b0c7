import { Check } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useAddress } from "../../frame/question-link.ts";
import { allColumns, type ShownKind, shownColumns } from "./tables.ts";

/** Which columns a list shows; the choice lives in the address. */
export function ColumnChooser({ kind, chosen }: { kind: ShownKind; chosen: string | null }) {
  const change = useAddress();
  const shown = new Set(shownColumns(kind, chosen).map((c) => c.id));
  const toggle = (id: string): void => {
    const next = allColumns(kind).filter((c, i) => i === 0 || (c.id === id ? !shown.has(id) : shown.has(c.id)));
    const usual = shownColumns(kind, null)
      .map((c) => c.id)
      .join(",");
    const text = next.map((c) => c.id).join(",");
    change({ columns: text === usual ? null : text }, true);
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="plain-link text-sm">Columns</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={4} className="z-40 rounded border border-line-strong bg-raised p-1 text-sm">
          {allColumns(kind)
            .slice(1)
            .map((c) => (
              <DropdownMenu.CheckboxItem
                key={c.id}
                checked={shown.has(c.id)}
                onSelect={(event) => event.preventDefault()}
                onCheckedChange={() => toggle(c.id)}
                className="flex items-center gap-2 rounded-sm py-1 pr-3 pl-6 outline-none data-highlighted:bg-chosen"
              >
                <DropdownMenu.ItemIndicator className="absolute left-2">
                  <Check size={13} aria-hidden="true" />
                </DropdownMenu.ItemIndicator>
                {c.head}
              </DropdownMenu.CheckboxItem>
            ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
