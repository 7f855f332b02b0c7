import { CircleAlert, Info } from "lucide-react";
import type { ReactNode } from "react";

/** What went wrong and what would be right, or something one should know. */
export function Notice({ kind, children }: { kind: "wrong" | "know"; children: ReactNode }) {
  const Icon = kind === "wrong" ? CircleAlert : Info;
  return (
    <p role={kind === "wrong" ? "alert" : "note"} className={`flex items-start gap-2 text-sm ${kind === "wrong" ? "text-late" : "text-soft"}`}>
      <Icon size={15} className="mt-[3px] shrink-0" aria-hidden="true" />
      <span>{children}</span>
    </p>
  );
}
