import type { InputHTMLAttributes, ReactNode } from "react";
import { FieldErrors } from "./field-errors.tsx";

type FieldProps = {
  id: string;
  label: string;
  hint?: ReactNode;
  errors?: string[] | undefined;
  /** Typing begins here when a dialog opens. */ "data-first"?: "";
} & InputHTMLAttributes<HTMLInputElement>;

/** A labelled input whose hint stands outside it, so that an example is never taken for a value. */
export function Field({ id, label, hint, errors, className = "", ...input }: FieldProps) {
  const described = [hint ? `${id}-hint` : "", errors?.length ? `${id}-wrong` : ""].filter(Boolean).join(" ");
  return (
    <div className={className}>
      <label htmlFor={id} className="block text-sm font-semibold">
        {label}
      </label>
      <input
        id={id}
        aria-invalid={errors?.length ? true : undefined}
        aria-describedby={described || undefined}
        className="mt-1 w-full rounded-[3px] border border-line-strong bg-raised px-2 py-1 text-base aria-invalid:border-late"
        {...input}
      />
      {hint && (
        <p id={`${id}-hint`} className="mt-1 text-xs text-soft">
          {hint}
        </p>
      )}
      <FieldErrors id={id} errors={errors} />
    </div>
  );
}
