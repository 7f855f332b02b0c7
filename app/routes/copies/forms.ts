import { array, object, string } from "yup";

/** Schemas that the page and the server both validate with. */
export const reason = string().trim().min(3, "Say in a few words why; it stands in the audit trail.").max(300, "Keep the reason under 300 characters.").required("Say in a few words why; it stands in the audit trail.");
const NAME_RULE = "A name is made of small letters, digits, dots and hyphens, and begins with a letter or digit.";
const name = string().trim().matches(/^[a-z0-9][a-z0-9.-]{0,62}$/, NAME_RULE).required(NAME_RULE);
const absolute = (what: string) => string().trim().matches(/^\//, `${what} is a path that begins with /.`).required(`Name ${what}.`);

export const copyNowForm = object({ policy: string().required(), machines: array().of(string().required()).ensure().min(1, "Choose at least one machine.").required(), reason });
export const protectForm = object({ name, path: absolute("the folder or disk image on the server"), stores: array().of(string().required()).ensure().min(1, "Choose at least one store.").required(), reason });
export const bringBackForm = object({ name: string().required(), point: string().required("Choose a point."), to: absolute("a new or empty folder on the server"), reason });
