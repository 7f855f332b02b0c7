import { number, object, string } from "yup";
import { LIST_KINDS } from "#core/estate/difference.ts";
import { reason } from "../../copies/forms.ts";

const which = { kind: string().oneOf(LIST_KINDS).required(), id: string().default(""), base: number().integer().required(), reason };
export const writeForm = object({ ...which, text: string().max(20_000, "Keep it under 20,000 characters.").required("Write the item.") });
export const takeOutForm = object(which);
