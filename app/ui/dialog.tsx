import { X } from "lucide-react";
import { Dialog as Radix } from "radix-ui";
import type { ReactNode } from "react";

/** A dialog; focus goes into it and back to where it was opened from. */
export function Dialog({
  open,
  onOpenChange,
  title,
  about,
  children,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  about: ReactNode;
  children: ReactNode;
}) {
  return (
    <Radix.Root open={open} onOpenChange={onOpenChange}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-[#0f172280]" />
        <Radix.Content
          onOpenAutoFocus={(event) => {
            // Where typing begins, if the contents say so; otherwise with the first control.
            const first = (event.currentTarget as HTMLElement).querySelector<HTMLElement>("[data-first]");
            if (!first) return;
            event.preventDefault();
            first.focus();
          }}
          className="fixed top-1/2 left-1/2 z-50 max-h-[88vh] w-[min(34rem,94vw)] -translate-x-1/2 -translate-y-1/2 overflow-y-auto rounded border border-line-strong bg-raised p-6"
        >
          <Radix.Title className="pr-8 text-lg font-semibold">{title}</Radix.Title>
          <Radix.Description asChild>
            <div className="mt-1 text-sm text-soft">{about}</div>
          </Radix.Description>
          <div className="mt-4">{children}</div>
          <Radix.Close className="absolute top-4 right-4 p-1 text-soft hover:text-ink" aria-label="Close">
            <X size={16} aria-hidden="true" />
          </Radix.Close>
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
