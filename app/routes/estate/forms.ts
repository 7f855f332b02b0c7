import { mixed, object, string } from "yup";
import { reason } from "../copies/forms.ts";

const file = mixed<File>()
  .required("Choose a file.")
  .test("some", "Choose a file that is not empty.", (f) => f instanceof File && f.size > 0)
  .test("size", "An estate file may have 64 MiB at most.", (f) => !(f instanceof File) || f.size <= 64 * 1024 * 1024);
const mode = string().oneOf(["merge", "replace"], "Choose whether to merge or to replace.").required("Choose whether to merge or to replace.");

export const previewForm = object({ file, mode });
export const acceptForm = object({ file, mode, base: string().required(), reason });
