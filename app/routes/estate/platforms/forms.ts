import { object, string } from "yup";
import { reason } from "../../copies/forms.ts";

const NAME_RULE = "A name is made of small letters, digits and hyphens, and begins with a letter.";
const FINGERPRINT = /^([0-9A-F]{2}:){31}[0-9A-F]{2}$/;

const id = string().trim().matches(/^[a-z][a-z0-9-]{0,40}$/, NAME_RULE).required(NAME_RULE);

export const managerForm = object({
  id,
  site: string().required("Choose the site at which it stands."),
  address: string()
    .trim()
    .matches(/^https:\/\/[^\s/?#@]+(\/[^\s?#]*)?$/, "An address begins with https:// and holds no account.")
    .required("Write the address under which it answers."),
  account: string().trim().matches(/^[^:\s]+$/, "An account's name holds neither colon nor space.").required("Name the account."),
  password: string().required("Write the account's password; it is kept sealed and never shown again."),
  fingerprint: string()
    .trim()
    .uppercase()
    .transform((text: string) => text.toUpperCase())
    .matches(FINGERPRINT, { message: "A SHA-256 fingerprint is 32 pairs of hexadecimal digits with colons between them.", excludeEmptyString: true })
    .default(""),
  reason,
});

export const imageFolderForm = object({
  id,
  path: string().trim().matches(/^\//, "A folder on the server is a path that begins with /.").required("Name the folder on the server."),
  host: string().required("Choose the host on which its machines would run."),
  reason,
});

export const decideForm = object({ reason });
