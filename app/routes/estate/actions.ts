import { countWords } from "#core/wording/amounts.ts";
import { EstateFileError } from "#formats/estate/read-estate.ts";
import { acceptImport, type ImportMode, type ImportPreview, previewImport } from "#server/acts/estate.ts";
import type { Application } from "#server/application.ts";
import { CannotError, type Person } from "#server/people/roles.ts";
import { type FormResult, readForm } from "../../ui/form-result.ts";
import { acceptForm, previewForm } from "./forms.ts";

const SHOWN = 400;
export type PreviewResult = { preview: ImportPreview & { total: number } };
export type Fault = { path: string; line: number; message: string };
export type EstateResult = FormResult | PreviewResult | { faults: Fault[] };

/** Shows what a file would change, or takes it in as it was shown. */
export async function actOnEstate(app: Application, person: Person, form: FormData): Promise<EstateResult> {
  const context = { app, person };
  try {
    switch (form.get("act")) {
      case "preview": {
        const read = readForm(previewForm, form);
        if ("wrong" in read) return read.wrong;
        const preview = await previewImport(context, await textOf(read.values.file), read.values.mode as ImportMode);
        return { preview: { ...preview, total: preview.differences.length, differences: preview.differences.slice(0, SHOWN) } };
      }
      case "accept": {
        const read = readForm(acceptForm, form);
        if ("wrong" in read) return read.wrong;
        const { file, mode, base, reason } = read.values;
        const { changed } = await acceptImport(context, await textOf(file), mode as ImportMode, base, reason);
        return { done: `${countWords(changed, "item")} changed.` };
      }
      default:
        throw new CannotError("The page asked for something that is not known; load it anew");
    }
  } catch (error) {
    if (error instanceof EstateFileError) return { faults: error.faults.map(({ path, line, message }) => ({ path, line, message })) };
    throw error;
  }
}

/** UTF-8 with or without its mark; anything else is told apart, for a guess would change names. */
async function textOf(file: File): Promise<string> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    const wide = (bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff);
    throw new CannotError(`${file.name} is not in UTF-8${wide ? ", but in UTF-16" : ""}. Save it as UTF-8 and choose it again; nothing was taken in`);
  }
}
