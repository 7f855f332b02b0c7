import { mixed, number, object, string } from "yup";
import { TABLE_KINDS } from "#formats/table/columns.ts";
import { reason } from "../copies/forms.ts";

export const MOST_BYTES = 128 * 1024 * 1024;

const file = mixed<File>()
  .required("Choose a file.")
  .test("some", "Choose a file that is not empty.", (f) => f instanceof File && f.size > 0)
  .test("size", "A file may have 128 MiB at most.", (f) => !(f instanceof File) || f.size <= MOST_BYTES);

export const previewForm = object({
  file,
  what: string().oneOf(["estate", "sites", "graph", "ovf", ...TABLE_KINDS], "Choose what the file holds.").required("Choose what the file holds."),
  mode: string().oneOf(["merge", "replace"], "Choose whether to merge or to replace.").default("merge"),
});
export const changeManyForm = object({
  kind: string().oneOf(["sites", "hazards", "machines", "services", "hosts", "stores", "links", "networks", "keys", "policies", "groups"]).required(),
  ids: string().required("Choose at least one row."),
  field: string().required("Choose what shall change."),
  value: string().trim().max(200, "Keep it under 200 characters.").default(""),
  base: number().integer().required(),
  reason,
});
export const acceptForm = previewForm.shape({ base: number().integer().required(), reason });
