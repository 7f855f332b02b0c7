import { FieldErrors } from "./field-errors.tsx";

/** A labelled choice of one out of a list. */
export function Pick({
  id,
  name,
  label,
  options,
  defaultValue,
  errors,
}: {
  id: string;
  name: string;
  label: string;
  options: readonly { id: string; name: string }[];
  defaultValue?: string | undefined;
  errors?: string[] | undefined;
}) {
  return (
    <div>
      <label htmlFor={id} className="block text-sm font-semibold">
        {label}
      </label>
      <select
        id={id}
        name={name}
        defaultValue={defaultValue}
        aria-invalid={errors?.length ? true : undefined}
        aria-describedby={errors?.length ? `${id}-wrong` : undefined}
        className="mt-1 w-full rounded-[3px] border border-line-strong bg-raised px-2 py-1 text-base"
      >
        {options.map((o) => (
          <option key={o.id} value={o.id}>
            {o.name}
          </option>
        ))}
      </select>
      <FieldErrors id={id} errors={errors} />
    </div>
  );
}
