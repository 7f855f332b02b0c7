import type { InferType } from "yup";
import { countWords } from "#core/wording/amounts.ts";
import { EstateFileError } from "#formats/estate/read-estate.ts";
import { TABLE_KINDS, type TableKind } from "#formats/table/columns.ts";
import { isTar, readOva } from "#formats/ovf/read-ova.ts";
import { OvfError } from "#formats/ovf/read-ovf.ts";
import { TableFileError } from "#formats/table/read-csv.ts";
import { acceptImport, changeMany, type ImportPreview, type Incoming, previewImport, undoChange } from "#server/acts/estate.ts";
import type { Application } from "#server/application.ts";
import { CannotError, mustAct, type Person } from "#server/people/roles.ts";
import { type FormResult, readForm } from "../../ui/form-result.ts";
import { EDITABLE, type EditableKind } from "#formats/estate/editable.ts";
import { acceptForm, changeManyForm, previewForm } from "./forms.ts";

const SHOWN = 400;
export type PreviewResult = { preview: ImportPreview & { total: number } };
export type Fault = { line: number; where: string; message: string };
export type EstateResult = FormResult | PreviewResult | { faults: Fault[] };

/** Shows what a file would change, or takes it in as it was shown. */
export async function actOnEstate(app: Application, person: Person, form: FormData): Promise<EstateResult> {
  mustAct(person);
  const context = { app, person };
  try {
    switch (form.get("act")) {
      case "preview": {
        const read = readForm(previewForm, form);
        if ("wrong" in read) return read.wrong;
        const preview = await previewImport(context, await incomingOf(read.values, form));
        return { preview: { ...preview, total: preview.differences.length + preview.flows, differences: preview.differences.slice(0, SHOWN) } };
      }
      case "accept": {
        const read = readForm(acceptForm, form);
        if ("wrong" in read) return read.wrong;
        const { changed } = await acceptImport(context, await incomingOf(read.values, form), read.values.base, read.values.reason);
        return { done: `${countWords(changed, "item")} changed.` };
      }
      case "change-many": {
        const read = readForm(changeManyForm, form);
        if ("wrong" in read) return read.wrong;
        const { kind, ids, field, value, base, reason } = read.values;
        const editable = EDITABLE[kind as EditableKind].find((f) => f.path === field);
        if (!editable) throw new CannotError("Choose what shall change");
        const { changed } = await changeMany(context, { kind: kind as EditableKind, ids: ids.split(" "), field: editable, value, base, reason });
        return { done: `${countWords(changed, "item")} changed.` };
      }
      case "undo": {
        const { changed } = await undoChange(context, Number(form.get("change")));
        return { done: `${countWords(changed, "item")} changed back.` };
      }
      default:
        throw new CannotError("The page asked for something that is not known; load it anew");
    }
  } catch (error) {
    if (error instanceof EstateFileError) return { faults: error.faults.map(({ path, line, message }) => ({ line, where: path, message })) };
    if (error instanceof OvfError) throw new CannotError(`${error.line > 1 ? `Line ${error.line}: ` : ""}${error.message}. Nothing was taken in`);
    if (error instanceof TableFileError) return { faults: [{ line: error.line, where: "", message: error.message }] };
    throw error;
  }
}

/** `column` stands in the form once for every head of a table: what it is taken for, empty for nothing. */
async function incomingOf({ file, what, mode }: InferType<typeof previewForm>, form: FormData): Promise<Incoming> {
  const column = form.getAll("column").map(String);
  const bytes = new Uint8Array(await file.arrayBuffer());
  if ((TABLE_KINDS as readonly string[]).includes(what)) return { form: "table", bytes, kind: what as TableKind, mapping: column.length > 0 ? column.map((id) => id || null) : null };
  if (what === "graph") return { form: "graph", text: textOf(bytes, file.name) };
  if (what === "sites") return { form: "sites", text: textOf(bytes, file.name) };
  if (what === "ovf") return { form: "ovf", text: isTar(bytes) ? (await readOva(bytes)).descriptor : textOf(bytes, file.name), host: String(form.get("host") ?? "") };
  return { form: "estate", text: textOf(bytes, file.name), mode: mode === "replace" ? "replace" : "merge" };
}

/** UTF-8 with or without its mark; anything else is told apart, for a guess would change names. */
function textOf(bytes: Uint8Array, name: string): string {
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    const wide = (bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff);
    throw new CannotError(`${name} is not in UTF-8${wide ? ", but in UTF-16" : ""}. Save it as UTF-8 and choose it again; nothing was taken in`);
  }
}
