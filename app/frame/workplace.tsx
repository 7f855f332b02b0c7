import type { ReactNode } from "react";

/** The main pane, and beside it an inspector where something is selected; each scrolls by itself. */
export function Workplace({ label, children, inspector }: { label: string; children: ReactNode; inspector?: ReactNode }) {
  return (
    <div className="print-whole flex h-full min-h-0 flex-col lg:flex-row">
      <main aria-label={label} className="print-whole min-h-0 min-w-0 flex-1 overflow-y-auto px-5 py-4" tabIndex={-1}>
        {children}
      </main>
      {inspector && (
        <aside className="print-whole max-h-[45%] shrink-0 overflow-y-auto border-t border-line bg-raised px-4 py-4 lg:max-h-none lg:w-[21rem] lg:border-t-0 lg:border-l">
          {inspector}
        </aside>
      )}
    </div>
  );
}
