import type { ReactNode } from "react";

/** One of the things an inspector tells, within a `dl`. */
export function Fact({ what, children }: { what: string; children: ReactNode }) {
  return (
    <div className="border-b border-line py-1.5">
      <dt className="font-semibold">{what}</dt>
      <dd className="text-soft">{children}</dd>
    </div>
  );
}
