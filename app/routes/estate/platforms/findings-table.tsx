import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState } from "react";
import { useFetcher } from "react-router";
import type { Finding } from "#core/estate/discovery.ts";
import { countWords } from "#core/wording/amounts.ts";
import { valueWords } from "#core/wording/value-words.ts";
import { useMayAct } from "../../../frame/who.ts";
import { Button } from "../../../ui/button.tsx";
import { Field } from "../../../ui/field.tsx";
import { Notice } from "../../../ui/notice.tsx";
import type { PlatformResult } from "./actions.ts";

const ROW = 32;
const KINDS = { hosts: "host", networks: "network", machines: "machine" } as const;
const CHANGES = { appeared: "appeared", changed: "changed", gone: "is gone", returned: "is back" } as const;

/** What a discovery found: chosen ones are taken into the estate, or left as they are with a reason. */
export function FindingsTable({ platform, base, findings }: { platform: string; base: number; findings: readonly (Finding & { about: string })[] }) {
  const fetcher = useFetcher<PlatformResult>();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const mayAct = useMayAct();
  const frame = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: findings.length,
    getScrollElement: () => frame.current,
    estimateSize: () => ROW,
    overscan: 12,
    initialRect: { width: 900, height: 400 },
  });
  const present = findings.filter((f) => chosen.has(f.key));
  const toggle = (key: string): void => setChosen((before) => new Set(before.has(key) ? [...before].filter((k) => k !== key) : [...before, key]));
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  const reasonErrors = (result && "error" in result && result.reply?.error?.["reason"]) || undefined;
  return (
    <fetcher.Form method="post" action="/estate/platforms" noValidate>
      <input type="hidden" name="platform" value={platform} />
      <input type="hidden" name="base" value={base} />
      {/* Thousands may be chosen at once; keys hold no spaces. */}
      <input type="hidden" name="findings" value={present.map((f) => f.key).join(" ")} />
      <div className="flex items-baseline gap-4 text-sm">
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="size-3.5 accent-(--accent)"
            checked={findings.length > 0 && present.length === findings.length}
            onChange={(e) => setChosen(new Set(e.target.checked ? findings.map((f) => f.key) : []))}
          />
          all {findings.length}
        </label>
        <span role="status" className="text-soft">
          {present.length} chosen
        </span>
      </div>
      <div ref={frame} className="mt-1 max-h-[22rem] overflow-auto border-t border-line-strong" tabIndex={0} aria-label="Findings" role="group">
        <ul className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((v) => {
            const f = findings[v.index]!;
            return (
              <li key={f.key} className="absolute inset-x-0 border-b border-line text-sm" style={{ height: ROW, transform: `translateY(${v.start}px)` }}>
                <label className="flex h-full items-center gap-3">
                  <input type="checkbox" className="size-3.5 shrink-0 accent-(--accent)" checked={chosen.has(f.key)} onChange={() => toggle(f.key)} />
                  <span className="w-56 shrink-0 truncate">
                    <span className="text-soft">{KINDS[f.kind]}</span> <span className="figures font-medium">{f.id}</span>
                  </span>
                  <span className={`w-24 shrink-0 ${f.change === "gone" ? "text-late" : ""}`}>{CHANGES[f.change]}</span>
                  <span className="truncate text-soft" title={f.about || fieldWords(f)}>
                    {f.about || fieldWords(f)}
                  </span>
                </label>
              </li>
            );
          })}
        </ul>
      </div>
      <div className="mt-3 flex flex-wrap items-end gap-3">
        <Field id="finding-reason" name="reason" label="Why" errors={reasonErrors} autoComplete="off" className="w-80" required />
        <Button kind="act" type="submit" name="act" value="take" disabled={!mayAct || present.length === 0 || fetcher.state !== "idle"}>
          Take {countWords(present.length, "finding")} into the estate
        </Button>
        <Button type="submit" name="act" value="leave" disabled={!mayAct || present.length === 0 || fetcher.state !== "idle"}>
          Leave as it is
        </Button>
      </div>
      <p className="mt-1 text-xs text-soft">
        A machine that is gone stays listed with its points, marked; it is copied no more. What a platform cannot know of a new machine is assumed: how much it changes, how long it
        takes to start.
      </p>
      {result && "error" in result && !result.reply && <Notice kind="wrong">{result.error}</Notice>}
      {result && "done" in result && (
        <p role="status" className="text-sm text-soft">
          {result.done}
        </p>
      )}
    </fetcher.Form>
  );
}

export function fieldWords(f: Finding): string {
  return f.fields
    .map(({ path, before, after }) => `${path.replace(/^disks\./, "disk ").replace(/^attached\./, "network ")} ${valueWords(path, before)} → ${valueWords(path, after)}`)
    .join(", ");
}
