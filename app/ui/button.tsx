import type { ButtonHTMLAttributes } from "react";

type Kind = "act" | "quiet" | "grave";

const LOOK: Record<Kind, string> = {
  act: "bg-accent text-on-accent border-accent hover:brightness-110",
  quiet: "bg-raised text-ink border-line-strong hover:border-accent",
  grave: "bg-raised text-late border-late hover:bg-chosen",
};

/** `act` begins something, `quiet` changes what is seen or can be taken back, `grave` discards. */
export function Button({ kind = "quiet", className = "", ...rest }: { kind?: Kind } & ButtonHTMLAttributes<HTMLButtonElement>) {
  return (
    <button type="button" className={`rounded-[3px] border px-3 py-1 text-sm font-medium disabled:cursor-not-allowed disabled:opacity-50 ${LOOK[kind]} ${className}`} {...rest} />
  );
}
