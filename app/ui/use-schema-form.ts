import { useForm } from "@conform-to/react";
import { parseWithYup } from "@conform-to/yup";
import { useEffect } from "react";
import { useFetcher } from "react-router";
import type { AnyObjectSchema } from "yup";
import type { FormResult } from "./form-result.ts";

/** A form that is validated as typed and again on the server by one schema; `onDone` is called once it was carried out. */
export function useSchemaForm<S extends AnyObjectSchema>(schema: S, onDone: (words: string) => void) {
  const fetcher = useFetcher<FormResult>();
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  useEffect(() => {
    if (result && "done" in result) onDone(result.done);
    // Once for each reply.
  }, [result]);
  const failed = result && "error" in result ? result : undefined;
  const [form, fields] = useForm<Record<string, string>>({
    ...(failed?.reply ? { lastResult: failed.reply } : {}),
    onValidate: ({ formData }) => parseWithYup(formData, { schema }) as never,
    shouldValidate: "onBlur",
    shouldRevalidate: "onInput",
  });
  return { Form: fetcher.Form, form, fields, busy: fetcher.state !== "idle", error: failed && !failed.reply ? failed.error : undefined };
}
