import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { countWords } from "#core/wording/amounts.ts";
import { useAddress, useQuestionSearch } from "../../frame/question-link.ts";
import { useMayAct } from "../../frame/who.ts";
import { Button } from "../../ui/button.tsx";
import { useListKeys } from "../../ui/list-keys.ts";
import { ChangeMany } from "./change-many.tsx";
import { ColumnChooser } from "./column-chooser.tsx";
import { arranged, type Cell, cellText, type ShownKind, shownColumns } from "./tables.ts";

const ROW = 29;

/** A dense list: filter and order live in the address, and only the rows in sight are drawn. */
export function ItemTable({ kind, rows, base, onDone }: { kind: ShownKind; rows: readonly { id: string; cells: Cell[] }[]; base: number; onDone: (words: string) => void }) {
  const [params] = useSearchParams();
  const change = useAddress();
  const keys = useListKeys();
  const frame = useRef<HTMLDivElement | null>(null);
  const filter = params.get("filter") ?? "";
  const sort = params.get("sort");
  const columns = shownColumns(kind, params.get("columns"));
  const mayAct = useMayAct();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [changing, setChanging] = useState(false);
  const toggle = (id: string): void => setChosen((before) => new Set(before.has(id) ? [...before].filter((x) => x !== id) : [...before, id]));
  const search = useQuestionSearch();
  /** Machines and services have a page of their own; others open beside the list. */
  const linkTo = (of: ShownKind, id: string): string =>
    of === "machines" || of === "services" ? `/estate/${of}/${id}${search()}` : search({ show: of, item: id, filter: filter || null, sort });
  const shown = arranged(rows, columns, filter, sort);
  const virtual = useVirtualizer({ count: shown.length, getScrollElement: () => frame.current, estimateSize: () => ROW, overscan: 12, initialRect: { width: 900, height: 600 } });
  const ids = shown.filter((r) => chosen.has(r.id)).map((r) => r.id);
  const grid = { gridTemplateColumns: (mayAct ? "1.25rem " : "") + columns.map((c) => (c.wide ? "minmax(8rem, 1.6fr)" : "minmax(4.5rem, 1fr)")).join(" ") };
  return (
    <section aria-label={kind} className="mt-3">
      <div className="flex items-baseline gap-4 text-sm">
        <label className="flex items-baseline gap-2">
          <span className="text-soft">Filter</span>
          <input
            value={filter}
            onChange={(e) => change({ filter: e.target.value || null }, true)}
            className="w-56 rounded-[3px] border border-line-strong bg-raised px-2 py-0.5"
            autoComplete="off"
          />
        </label>
        <span role="status" className="text-soft">
          {shown.length === rows.length ? `${rows.length} in all` : `${countWords(shown.length, "row")} of ${rows.length}`}
        </span>
        <ColumnChooser kind={kind} chosen={params.get("columns")} />
        {mayAct && (
          <span className="ml-auto flex items-baseline gap-3">
            {ids.length > 0 && <span className="text-soft">{countWords(ids.length, "row")} chosen</span>}
            <Button disabled={ids.length === 0} onClick={() => setChanging(true)}>
              Change them
            </Button>
          </span>
        )}
        <ChangeMany chosen={{ kind, ids, base }} open={changing} onOpenChange={setChanging} onDone={onDone} />
      </div>
      <div
        ref={(element) => {
          frame.current = element;
          return keys(element) ?? undefined;
        }}
        className="mt-2 max-h-[calc(100dvh-17.5rem)] min-h-40 overflow-auto"
        tabIndex={0}
      >
        <div role="table" aria-rowcount={shown.length + 1} aria-label={kind} className="min-w-[46rem] text-sm">
          <div role="row" aria-rowindex={1} className="sticky top-0 z-10 grid gap-x-3 border-b border-line-strong bg-ground" style={grid}>
            {mayAct && (
              <div role="columnheader" className="flex items-center">
                <input
                  type="checkbox"
                  aria-label="Choose all rows shown"
                  className="size-3.5 accent-(--accent)"
                  checked={shown.length > 0 && ids.length === shown.length}
                  onChange={(e) => setChosen(new Set(e.target.checked ? shown.map((r) => r.id) : []))}
                />
              </div>
            )}
            {columns.map((c) => {
              const way = sort === c.id ? "ascending" : sort === `-${c.id}` ? "descending" : "none";
              return (
                <div key={c.id} role="columnheader" aria-sort={way}>
                  <button
                    type="button"
                    className={`flex items-center gap-1 py-1 text-left font-semibold ${way === "none" ? "text-soft" : "text-ink"}`}
                    onClick={() => change({ sort: way === "ascending" ? `-${c.id}` : way === "descending" ? null : c.id }, true)}
                  >
                    {c.head}
                    {way === "ascending" && <ArrowUp size={12} aria-hidden="true" />}
                    {way === "descending" && <ArrowDown size={12} aria-hidden="true" />}
                  </button>
                </div>
              );
            })}
          </div>
          <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
            {virtual.getVirtualItems().map((v) => (
              <div
                key={shown[v.index]!.id}
                role="row"
                aria-rowindex={v.index + 2}
                data-list-item
                tabIndex={-1}
                className="absolute inset-x-0 grid items-center gap-x-3 border-b border-line"
                style={{ ...grid, height: ROW, transform: `translateY(${v.start}px)` }}
              >
                {mayAct && (
                  <div role="cell" className="flex items-center">
                    <input
                      type="checkbox"
                      aria-label={`Choose ${cellText(shown[v.index]!.cells[0]!)}`}
                      className="size-3.5 accent-(--accent)"
                      checked={chosen.has(shown[v.index]!.id)}
                      onChange={() => toggle(shown[v.index]!.id)}
                    />
                  </div>
                )}
                {columns.map((c, i) => (
                  <div
                    key={c.id}
                    role={i === 0 ? "rowheader" : "cell"}
                    className={`truncate ${c.figures ? "figures" : ""} ${i === 0 ? "font-medium" : ""}`}
                    title={cellText(shown[v.index]!.cells[i]!)}
                  >
                    {i === 0 ? (
                      <Link className="hover:underline" preventScrollReset to={linkTo(kind, shown[v.index]!.id)}>
                        {cellText(shown[v.index]!.cells[i]!)}
                      </Link>
                    ) : (
                      cellText(shown[v.index]!.cells[i]!)
                    )}
                  </div>
                ))}
              </div>
            ))}
          </div>
          {shown.length === 0 && <p className="py-3 text-soft">{rows.length === 0 ? "None yet. Bring some in." : "No row has all these words."}</p>}
        </div>
      </div>
    </section>
  );
}
