import { number, object, string } from "yup";
import { IMPACT_LEVELS } from "#core/estate/model.ts";
import { DURATION_PATTERN } from "#formats/estate/quantities.ts";
import { reason } from "../../copies/forms.ts";

const DURATION_WORDS = "Write a number, a space and s, min, h or d, such as 15 min.";
const text = (what: string) => string().trim().max(200, "Keep it under 200 characters.").required(`${what} is missing.`);
const duration = string().trim().matches(new RegExp(DURATION_PATTERN), { message: DURATION_WORDS, excludeEmptyString: true });
const lines = string().max(4_000, "Keep it under 4,000 characters.").default("");
const level = string().oneOf(["", ...IMPACT_LEVELS], "Choose low, moderate or high.").default("");

/** A service as it is typed: lists one item a line. What it must hold together is checked against the estate. */
export const serviceForm = object({
  id: string().trim().matches(/^[a-z][a-z0-9-]*$/, "An id is made of small letters, digits and hyphens.").required("The id is missing."),
  name: text("The name"),
  tier: number().typeError("The tier is 1, 2, 3 or 4.").integer("The tier is 1, 2, 3 or 4.").min(1, "The tier is 1, 2, 3 or 4.").max(4, "The tier is 1, 2, 3 or 4.").required("The tier is missing."),
  owner: text("The owner"),
  rto: duration.required("The RTO is missing."),
  rpo: duration.required("The RPO is missing."),
  mtd: duration.default(""),
  wrt: duration.default(""),
  machines: lines,
  serviceName: text("The name by which it is found"),
  tell: text("Whom to tell"),
  startOrder: number().transform((value: number, original) => (original === "" ? undefined : value)).typeError("The place in the order is a whole number.").integer("The place in the order is a whole number.").min(1, "The place in the order is at least 1."),
  copiesIn: string().trim().uppercase().matches(/^[A-Z]{2}([ ,]+[A-Z]{2})*$/, { message: "Write country codes of two letters, such as EE FI.", excludeEmptyString: true }).default(""),
  confidentiality: level,
  integrity: level,
  availability: level,
  impact: lines,
  hours: lines,
  contacts: lines,
  checks: lines,
  base: number().integer().required(),
  reason,
});
export const removeForm = object({ id: string().required(), name: string().default(""), typed: string().test("same", "Type the service's name exactly as it stands there.", (value, { parent }) => (value ?? "").trim() === (parent as { name: string }).name), base: number().integer().required(), reason });
export const accountForm = object({ id: string().required(), account: text("The account"), password: string().max(200, "Keep it under 200 characters.").required("The password is missing.") });
