/** What is wrong with the field that `id` names; the field points to it by `${id}-wrong`. */
export function FieldErrors({ id, errors }: { id: string; errors: string[] | undefined }) {
  if (!errors?.length) return null;
  return (
    <p id={`${id}-wrong`} className="mt-1 text-sm text-late">
      {[...new Set(errors)].join(" ")}
    </p>
  );
}
