import { DropdownMenu } from "radix-ui";
import { Form } from "react-router";
import type { FrameData } from "./frame-data.ts";
import { toggleTheme } from "./theme.ts";

/** Who is signed in, for which organisation. */
export function PersonMenu({ who }: { who: FrameData["who"] }) {
  const others = who.serves.filter((o) => o.id !== who.organisationId);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="rounded-sm text-right leading-tight">
        <span className="block text-sm">
          {who.name}
          {who.role === "observer" && <span className="text-soft"> (looks only)</span>}
        </span>
        <span className={`block text-xs ${who.serves.length > 1 ? "font-semibold text-ink" : "text-soft"}`}>{who.organisation}</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={6} className="z-40 w-56 rounded border border-line-strong bg-raised p-1 text-sm">
          <DropdownMenu.Item onSelect={toggleTheme} className="rounded-sm px-2 py-1 outline-none data-highlighted:bg-chosen">
            Day or night
          </DropdownMenu.Item>
          {others.length > 0 && (
            // The whole page is loaded anew, so that nothing of one customer stays on it for another.
            <Form method="post" action="/serve" reloadDocument>
              <DropdownMenu.Label className="px-2 pt-2 text-xs text-soft">Work for another organisation</DropdownMenu.Label>
              {others.map((o) => (
                <DropdownMenu.Item key={o.id} asChild onSelect={(event) => event.preventDefault()}>
                  <button type="submit" name="organisation" value={o.id} className="w-full rounded-sm px-2 py-1 text-left outline-none data-highlighted:bg-chosen">
                    {o.name}
                  </button>
                </DropdownMenu.Item>
              ))}
              <DropdownMenu.Separator className="my-1 border-t border-line" />
            </Form>
          )}
          <Form method="post" action="/sign-out">
            <DropdownMenu.Item asChild onSelect={(event) => event.preventDefault()}>
              <button type="submit" className="w-full rounded-sm px-2 py-1 text-left outline-none data-highlighted:bg-chosen">
                Sign out
              </button>
            </DropdownMenu.Item>
          </Form>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
