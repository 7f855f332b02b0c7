import type { SubmissionResult } from "@conform-to/react";
import { parseWithYup } from "@conform-to/yup";
import type { AnyObjectSchema, InferType } from "yup";

/** What an action replies to a form: done, or what is wrong, by field where it is a field's. */
export type FormResult = { done: string } | { error: string; reply?: SubmissionResult<string[]> };

/** Reads a form by its schema on the server: the values, or what is wrong with them. */
export function readForm<S extends AnyObjectSchema>(schema: S, form: FormData): { values: InferType<S> } | { wrong: FormResult } {
  const submission = parseWithYup(form, { schema });
  if (submission.status === "success") return { values: submission.value as InferType<S> };
  const reasons = Object.values(submission.error ?? {}).flatMap((r) => r ?? []);
  return { wrong: { error: reasons.join(" ") || "This cannot be taken as it stands.", reply: submission.reply() } };
}
