import { number, object, string } from "yup";
import { reason } from "../../copies/forms.ts";

export const answerForm = object({ keys: string().required("Choose at least one."), into: string().default(""), base: number().integer().required(), reason });
