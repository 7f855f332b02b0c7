import { useEffect, useState } from "react";
import { useFetcher } from "react-router";
import type { Strength } from "#core/estate/model.ts";
import { Button } from "../../../ui/button.tsx";
import { Choice } from "../../../ui/choice.tsx";
import { Dialog } from "../../../ui/dialog.tsx";
import { Field } from "../../../ui/field.tsx";
import { FieldErrors } from "../../../ui/field-errors.tsx";
import type { FormResult } from "../../../ui/form-result.ts";
import { Notice } from "../../../ui/notice.tsx";
import { Pick } from "../../../ui/pick.tsx";

export type Asked = { service: string; needs: string | null; had: Strength | null };
export type DependencyResult = FormResult | { loop: { id: string; name: string }[] };
type Named = { id: string; name: string };

const WORDS: Record<Strength | "none", { name: string; means: string }> = {
  hard: { name: "hard", means: "without it, it is down" },
  soft: { name: "soft", means: "without it, it is impaired" },
  none: { name: "none", means: "it does not need it" },
};

/** One dependency: whether there is one and how strong it is, and why. Where it closes a loop, what breaks the loop is asked for. */
export function DependencyDialog({
  asked,
  names,
  base,
  onClose,
  onDone,
}: {
  asked: Asked | null;
  names: readonly Named[];
  base: number;
  onClose: () => void;
  onDone: (words: string) => void;
}) {
  const nameOf = (id: string): string => names.find((n) => n.id === id)?.name ?? id;
  return (
    <Dialog
      open={asked !== null}
      onOpenChange={(open) => !open && onClose()}
      title={asked ? `What ${nameOf(asked.service)} needs` : ""}
      about="Hard: without the other it is down. Soft: without it, it works, impaired."
    >
      {asked && <DependencyForm key={`${asked.service} ${asked.needs}`} asked={asked} names={names} nameOf={nameOf} base={base} onDone={onDone} />}
    </Dialog>
  );
}

function DependencyForm({
  asked,
  names,
  nameOf,
  base,
  onDone,
}: {
  asked: Asked;
  names: readonly Named[];
  nameOf: (id: string) => string;
  base: number;
  onDone: (words: string) => void;
}) {
  const fetcher = useFetcher<DependencyResult>();
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  const [strength, setStrength] = useState<Strength | "none">(asked.had ?? "hard");
  const loop = result && "loop" in result ? result.loop : null;
  const [order, setOrder] = useState<Named[]>([]);
  useEffect(() => {
    if (result && "done" in result) onDone(result.done);
    if (result && "loop" in result) setOrder(result.loop);
    // Once for each reply.
  }, [result]);
  const errors = (result && "error" in result && result.reply?.error) || {};
  const move = (i: number, by: -1 | 1): void => {
    const next = [...order];
    [next[i], next[i + by]] = [next[i + by]!, next[i]!];
    setOrder(next);
  };
  return (
    <fetcher.Form method="post" className="space-y-3" noValidate>
      <input type="hidden" name="act" value="dependency" />
      <input type="hidden" name="base" value={base} />
      <input type="hidden" name="service" value={asked.service} />
      {asked.needs === null ? (
        <Pick
          id="dependency-needs"
          name="needs"
          label={`${nameOf(asked.service)} needs`}
          options={names.filter((n) => n.id !== asked.service)}
          errors={errors["needs"] ?? undefined}
        />
      ) : (
        <p>
          {nameOf(asked.service)} → <strong>{nameOf(asked.needs)}</strong>
          <input type="hidden" name="needs" value={asked.needs} />
        </p>
      )}
      <fieldset>
        <legend className="text-sm font-semibold">How strongly</legend>
        {(["hard", "soft", ...(asked.had ? (["none"] as const) : [])] as const).map((s) => (
          <Choice key={s} type="radio" name="strength" value={s} checked={strength === s} onChange={() => setStrength(s)} aside={WORDS[s].means}>
            {WORDS[s].name}
          </Choice>
        ))}
        <FieldErrors id="dependency-strength" errors={errors["strength"] ?? undefined} />
      </fieldset>
      {loop && strength === "hard" && (
        <fieldset className="border-l-2 border-late pl-3">
          <legend className="sr-only">Which of the loop starts first</legend>
          <Notice kind="wrong">
            {loop.map((s) => s.name).join(", ")} would all need each other, and nothing would say which of them starts first. Choose soft above, or put them into the order in which
            they start:
          </Notice>
          <ol className="mt-2 space-y-1">
            {order.map((s, i) => (
              <li key={s.id} className="flex items-center gap-2 text-sm">
                <span className="figures w-5 text-right">{i + 1}</span>
                <span className="flex-1">{s.name}</span>
                <Button disabled={i === 0} onClick={() => move(i, -1)} aria-label={`${s.name} earlier`}>
                  ↑
                </Button>
                <Button disabled={i === order.length - 1} onClick={() => move(i, 1)} aria-label={`${s.name} later`}>
                  ↓
                </Button>
              </li>
            ))}
          </ol>
          <input type="hidden" name="order" value={order.map((s) => s.id).join(" ")} />
        </fieldset>
      )}
      <Field id="dependency-reason" name="reason" label="Why" errors={errors["reason"] ?? undefined} autoComplete="off" required />
      {result && "error" in result && !result.reply && <Notice kind="wrong">{result.error}</Notice>}
      <Button kind="act" type="submit" disabled={fetcher.state !== "idle"}>
        {strength === "none" ? "Take it away" : loop && strength === "hard" ? "Set it with this order" : "Set it"}
      </Button>
    </fetcher.Form>
  );
}
