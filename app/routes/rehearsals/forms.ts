import { array, object, string } from "yup";
import { reason } from "../copies/forms.ts";

export const beginForm = object({ services: array().of(string().required()).ensure().min(1, "Choose at least one service.").required(), hands: string().oneOf(["crew", "people"]).required("Say who carries out people's steps."), reason });
