import { useEffect, useState } from "react";
import { useFetcher } from "react-router";
import { SECURITY_OBJECTIVES, IMPACT_LEVELS } from "#core/estate/model.ts";
import { Button } from "../../../ui/button.tsx";
import { Dialog } from "../../../ui/dialog.tsx";
import { Field } from "../../../ui/field.tsx";
import { FieldErrors } from "../../../ui/field-errors.tsx";
import type { FormResult } from "../../../ui/form-result.ts";
import { Notice } from "../../../ui/notice.tsx";
import { Pick } from "../../../ui/pick.tsx";
import type { ServiceView } from "./queries.ts";

type Texts = Record<string, string>;

/** What a form starts with: the service as it is, or what a new one begins as. */
export const textsOf = ({ service: s, lines }: Pick<ServiceView, "service" | "lines">): Texts => ({
  id: s.id,
  name: s.name,
  tier: String(s.tier),
  owner: s.owner,
  machines: s.machines.join(" "),
  serviceName: s.serviceName,
  tell: s.tell,
  startOrder: s.startOrder === undefined ? "" : String(s.startOrder),
  copiesIn: s.copiesIn?.join(" ") ?? "",
  ...Object.fromEntries(SECURITY_OBJECTIVES.map((o) => [o, s.category?.[o] ?? ""])),
  ...lines,
});
export const NEW_TEXTS: Texts = {};

/** Describes a service: figures and words as fields, lists one item a line. */
export function DescribeDialog({
  open,
  isNew,
  texts,
  base,
  onOpenChange,
  onDone,
}: {
  open: boolean;
  isNew: boolean;
  texts: Texts;
  base: number;
  onOpenChange: (open: boolean) => void;
  onDone: (words: string) => void;
}) {
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title={isNew ? "Describe a new service" : `Describe ${texts["name"]}`}
      about="Times with their unit: 15 min, 4 h, 2 d. Lists one item a line, its parts parted by a stroke |."
    >
      <DescribeForm isNew={isNew} texts={texts} base={base} onDone={onDone} />
    </Dialog>
  );
}

function DescribeForm({ isNew, texts, base, onDone }: { isNew: boolean; texts: Texts; base: number; onDone: (words: string) => void }) {
  const fetcher = useFetcher<FormResult>();
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  useEffect(() => {
    if (result && "done" in result) onDone(result.done);
    // Once for each reply.
  }, [result]);
  const errors = (result && "error" in result && result.reply?.error) || {};
  const field = (name: string, label: string, hint?: string) => (
    <Field key={name} id={`service-${name}`} name={name} label={label} hint={hint} defaultValue={texts[name] ?? ""} errors={errors[name] ?? undefined} autoComplete="off" />
  );
  const list = (name: string, label: string, hint: string, rows = 3) => (
    <Lines key={name} id={`service-${name}`} name={name} label={label} hint={hint} rows={rows} defaultValue={texts[name] ?? ""} errors={errors[name] ?? undefined} />
  );
  return (
    <fetcher.Form method="post" action="/estate/services" className="space-y-3" noValidate>
      <input type="hidden" name="act" value={isNew ? "add" : "describe"} />
      <input type="hidden" name="base" value={base} />
      {isNew ? field("id", "Id", "Small letters, digits and hyphens; it names the service for good.") : <input type="hidden" name="id" value={texts["id"]} />}
      {field("name", "Name")}
      <div className="grid grid-cols-2 gap-3">
        {field("tier", "Tier", "1 is the first to come back.")}
        {field("owner", "Owner, by role")}
        {field("rto", "RTO")}
        {field("rpo", "RPO")}
        {field("mtd", "MTD", "RTO and WRT together must fit into it.")}
        {field("wrt", "WRT")}
      </div>
      {list("machines", "Machines", "Ids, parted by spaces.", 2)}
      {list("impact", "What is felt, and when", "1 h | fares go unsold | moderate — the level (FIPS 199: low, moderate, high) may be left out")}
      {list("hours", "Hours that matter", "1-5 | 07:00 | 18:00 — days 1 Monday to 7 Sunday; none stands for always", 2)}
      {list(
        "checks",
        "Checks that prove it is up",
        "http | 20 s | https://shop.example/health — kinds: http, tcp, name, sign-in, outside, command; the last two name a machine as well: command | 5 s | database ready | db-1",
      )}
      {list("contacts", "Contacts", "head of sales | telephone 20", 2)}
      <div className="grid grid-cols-2 gap-3">
        {field("serviceName", "Found by the name")}
        {field("tell", "Whom to tell")}
        {field("copiesIn", "Copies may lie in", "Country codes; empty for anywhere.")}
        {field("startOrder", "Place in a loop's order", "Empty where none is needed.")}
      </div>
      <fieldset>
        <legend className="text-sm font-semibold">Security category (FIPS 199), all three or none</legend>
        <div className="grid grid-cols-3 gap-3">
          {SECURITY_OBJECTIVES.map((o) => (
            <Pick
              key={o}
              id={`service-${o}`}
              name={o}
              label={o}
              defaultValue={texts[o]}
              options={[{ id: "", name: "not stated" }, ...IMPACT_LEVELS.map((l) => ({ id: l, name: l }))]}
              errors={errors[o] ?? undefined}
            />
          ))}
        </div>
      </fieldset>
      <Field id="service-reason" name="reason" label="Why" errors={errors["reason"] ?? undefined} autoComplete="off" required />
      {result && "error" in result && <Notice kind="wrong">{result.reply ? "Not taken yet: see the fields above." : result.error}</Notice>}
      <Button kind="act" type="submit" disabled={fetcher.state !== "idle"}>
        {isNew ? "Add the service" : "Describe it so"}
      </Button>
    </fetcher.Form>
  );
}

function Lines({
  id,
  name,
  label,
  hint,
  rows,
  defaultValue,
  errors,
}: {
  id: string;
  name: string;
  label: string;
  hint: string;
  rows: number;
  defaultValue: string;
  errors?: string[] | undefined;
}) {
  return (
    <div>
      <label htmlFor={id} className="block text-sm font-semibold">
        {label}
      </label>
      <textarea
        id={id}
        name={name}
        rows={Math.max(rows, defaultValue.split("\n").length)}
        defaultValue={defaultValue}
        aria-invalid={errors?.length ? true : undefined}
        aria-describedby={`${id}-hint${errors?.length ? ` ${id}-wrong` : ""}`}
        className="figures mt-1 w-full rounded-[3px] border border-line-strong bg-raised px-2 py-1 text-sm"
        spellCheck={false}
      />
      <p id={`${id}-hint`} className="text-xs text-soft">
        {hint}
      </p>
      <FieldErrors id={id} errors={errors} />
    </div>
  );
}

/** Takes a service out of the estate: says what goes with it, and wants its name typed. */
export function RemoveDialog({
  open,
  service,
  neededBy,
  base,
  onOpenChange,
}: {
  open: boolean;
  service: { id: string; name: string };
  neededBy: readonly string[];
  base: number;
  onOpenChange: (open: boolean) => void;
}) {
  const fetcher = useFetcher<FormResult>();
  const [typed, setTyped] = useState("");
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  const errors = (result && "error" in result && result.reply?.error) || {};
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title={`Take ${service.name} out of the estate`}
      about={`Its targets, checks and contacts go${neededBy.length > 0 ? `, and ${neededBy.join(", ")} will no longer be known to need it` : ""}. Its machines and their copies stay. It can be undone as long as nothing else has changed.`}
    >
      <fetcher.Form method="post" action="/estate/services" className="space-y-3" noValidate>
        <input type="hidden" name="act" value="remove" />
        <input type="hidden" name="base" value={base} />
        <input type="hidden" name="id" value={service.id} />
        <input type="hidden" name="name" value={service.name} />
        <Field
          id="remove-typed"
          name="typed"
          label={`Type ${service.name}`}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          errors={errors["typed"] ?? undefined}
          autoComplete="off"
        />
        <Field id="remove-reason" name="reason" label="Why" errors={errors["reason"] ?? undefined} autoComplete="off" required />
        {result && "error" in result && !result.reply && <Notice kind="wrong">{result.error}</Notice>}
        <Button kind="grave" type="submit" disabled={typed.trim() !== service.name || fetcher.state !== "idle"}>
          Take it out
        </Button>
      </fetcher.Form>
    </Dialog>
  );
}
