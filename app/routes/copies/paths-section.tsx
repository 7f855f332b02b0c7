import { useState } from "react";
import { useSearchParams } from "react-router";
import { sizeWords } from "#core/wording/amounts.ts";
import { useAddress } from "../../frame/question-link.ts";
import { useMayAct } from "../../frame/who.ts";
import { momentWords } from "../../frame/zoned.ts";
import { Button } from "../../ui/button.tsx";
import { Choice } from "../../ui/choice.tsx";
import { Dialog } from "../../ui/dialog.tsx";
import { Field } from "../../ui/field.tsx";
import { Notice } from "../../ui/notice.tsx";
import { Sheet } from "../../ui/sheet.tsx";
import { useSchemaForm } from "../../ui/use-schema-form.ts";
import { bringBackForm, protectForm } from "./forms.ts";
import type { CopiesView } from "./copies-view.ts";

/** Real folders and disk images on the server, protected one to one. */
export function PathsSection({ view, zone }: { view: CopiesView; zone: string }) {
  const mayAct = useMayAct();
  const [params] = useSearchParams();
  const change = useAddress();
  // Another page may lead here with what shall be protected.
  const asked = params.get("protect");
  const [protecting, setProtecting] = useState(asked !== null && mayAct);
  const [bringing, setBringing] = useState<CopiesView["paths"][number] | null>(null);
  return (
    <section aria-labelledby="paths" className="mt-6 pb-4">
      <div className="flex items-center justify-between border-b border-line-strong pb-1">
        <h2 id="paths">Real folders and disk images</h2>
        <Button disabled={!mayAct} onClick={() => setProtecting(true)}>
          Protect a folder or image
        </Button>
      </div>
      {view.paths.length === 0 ? (
        <p className="mt-2 text-sm text-soft">
          None yet. A folder or disk image that the server can read is captured one to one, unpaced, stamped with the estate's clock, and can be brought back identical into a new
          or empty folder.
        </p>
      ) : (
        <Sheet heads={["Name", "Path", "Points", "Newest", "Size", "In", ""]}>
          {view.paths.map((p) => {
            const newest = p.points[0];
            return (
              <tr key={p.name}>
                <th scope="row" className="figures text-ink!">
                  {p.name}
                </th>
                <td className="figures break-all">{p.path}</td>
                <td className="figures">{p.points.length}</td>
                <td>{newest ? momentWords(newest.capturedAt, zone) : "–"}</td>
                <td className="figures">{newest ? sizeWords(newest.nominalBytes) : "–"}</td>
                <td>{newest?.copies.map((c) => view.stores.find((s) => s.id === c.store)?.name ?? c.store).join(", ")}</td>
                <td>
                  <Button disabled={!mayAct || !newest} onClick={() => setBringing(p)}>
                    Bring back
                  </Button>
                </td>
              </tr>
            );
          })}
        </Sheet>
      )}
      {view.pathWork.length > 0 && (
        <ul className="mt-2 space-y-0.5 text-sm" aria-label="Lately">
          {view.pathWork.slice(0, 5).map((w) => (
            <li key={w.id} className={w.state === "failed" ? "text-late" : "text-soft"}>
              {w.kind === "protect" ? "Protecting" : "Bringing back"} <span className="figures">{w.name}</span>: {w.failure ?? `${w.state}${w.note ? `, ${w.note}` : ""}`}
            </li>
          ))}
        </ul>
      )}
      <ProtectDialog
        open={protecting}
        onOpenChange={(open) => {
          setProtecting(open);
          if (!open && asked !== null) change({ protect: null, as: null }, true);
        }}
        view={view}
        asked={asked === null ? null : { path: asked, name: params.get("as") ?? "" }}
      />
      {bringing && <BringBackDialog key={bringing.name} path={bringing} onClose={() => setBringing(null)} zone={zone} />}
    </section>
  );
}

function ProtectDialog({
  open,
  onOpenChange,
  view,
  asked,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  view: CopiesView;
  asked: { path: string; name: string } | null;
}) {
  const { Form, form, fields, busy, error } = useSchemaForm(protectForm, () => onOpenChange(false));
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Protect a folder or image"
      about="It is read once into the first store chosen and copied on from there. Sockets, pipes and devices are skipped and listed."
    >
      <Form method="post" action="/copies" className="space-y-3" id={form.id} onSubmit={form.onSubmit} noValidate>
        <input type="hidden" name="act" value="protect" />
        <Field
          id="path-name"
          name="name"
          label="Name"
          hint="Small letters, digits, dots and hyphens; its points go by it."
          errors={fields["name"]!.errors}
          defaultValue={asked?.name ?? ""}
          autoComplete="off"
          required
        />
        <Field
          id="path-path"
          name="path"
          label="Folder or disk image on the server"
          hint="The whole path, beginning with /."
          errors={fields["path"]!.errors}
          defaultValue={asked?.path ?? ""}
          autoComplete="off"
          required
        />
        <fieldset>
          <legend className="text-sm font-semibold">Stores</legend>
          {view.stores.map((s, i) => (
            <Choice key={s.id} type="checkbox" name="stores" value={s.id} defaultChecked={i === 0}>
              {s.name}
            </Choice>
          ))}
          {fields["stores"]!.errors && <p className="text-sm text-late">{fields["stores"]!.errors.join(" ")}</p>}
        </fieldset>
        <Field id="path-reason" name="reason" label="Why" errors={fields["reason"]!.errors} autoComplete="off" required />
        {error && <Notice kind="wrong">{error}</Notice>}
        <Button kind="act" type="submit" disabled={busy}>
          Protect it now
        </Button>
      </Form>
    </Dialog>
  );
}

function BringBackDialog({ path, onClose, zone }: { path: CopiesView["paths"][number]; onClose: () => void; zone: string }) {
  const { Form, form, fields, busy, error } = useSchemaForm(bringBackForm, onClose);
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={`Bring back ${path.name}`}
      about={`Captured from ${path.path}. Nothing is written over: the target must be new or empty. Every chunk is checked, and another store is used where one is damaged.`}
    >
      <Form method="post" action="/copies" className="space-y-3" id={form.id} onSubmit={form.onSubmit} noValidate>
        <input type="hidden" name="act" value="bring-back" />
        <input type="hidden" name="name" value={path.name} />
        <label className="block text-sm font-semibold" htmlFor="back-point">
          Point
        </label>
        <select id="back-point" name="point" className="figures w-full rounded-[3px] border border-line-strong bg-raised px-2 py-1">
          {path.points.map((p) => (
            <option key={p.id} value={p.id}>
              {momentWords(p.capturedAt, zone)}, {sizeWords(p.nominalBytes)}, {p.id.slice(0, 12)}
            </option>
          ))}
        </select>
        <Field
          id="back-to"
          name="to"
          label="New or empty folder on the server"
          hint="The whole path, beginning with /."
          errors={fields["to"]!.errors}
          autoComplete="off"
          required
        />
        <Field id="back-reason" name="reason" label="Why" errors={fields["reason"]!.errors} autoComplete="off" required />
        {error && <Notice kind="wrong">{error}</Notice>}
        <Button kind="act" type="submit" disabled={busy}>
          Bring it back
        </Button>
      </Form>
    </Dialog>
  );
}
