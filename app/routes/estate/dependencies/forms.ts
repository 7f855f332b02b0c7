import { number, object, string } from "yup";
import { STRENGTHS } from "#core/estate/model.ts";
import { reason } from "../../copies/forms.ts";

export const dependencyForm = object({
  service: string().required("Choose the service that needs another."),
  needs: string().required("Choose what it needs.").test("itself", "A service cannot need itself.", (value, { parent }) => value !== (parent as { service?: string }).service),
  strength: string().oneOf([...STRENGTHS, "none"], "Choose hard, soft or none.").required("Choose hard, soft or none."),
  /** Ids in the order of starting, where a loop was asked about. */
  order: string().default(""),
  base: number().integer().required(),
  reason,
});
