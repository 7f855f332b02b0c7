import type { InputHTMLAttributes, ReactNode } from "react";

/** A box or button to tick with its words; large enough to hit. */
export function Choice({ children, aside, className = "", ...input }: { children: ReactNode; aside?: ReactNode } & InputHTMLAttributes<HTMLInputElement>) {
  return (
    <label className={`flex min-h-6 items-center gap-2 text-sm ${className}`}>
      <input className="size-3.5 shrink-0 accent-(--accent)" {...input} />
      <span className="flex-1">{children}</span>
      {aside !== undefined && <span className="text-xs text-soft">{aside}</span>}
    </label>
  );
}
