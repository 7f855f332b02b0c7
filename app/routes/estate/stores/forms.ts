import { object, string } from "yup";
import { reason } from "../../copies/forms.ts";

export const folderStoreForm = object({ store: string().required(), path: string().trim().matches(/^\//, "A folder on the server is a path that begins with /.").required("Name the folder on the server."), reason });

export const bucketStoreForm = object({
  store: string().required(),
  endpoint: string().trim().matches(/^https?:\/\/[^\s/?#@]+\/?$/, "An address is http:// or https:// with a name or number, and nothing behind it.").required("Write the address of the bucket server."),
  region: string().trim().required("Name the region; servers without regions take any word."),
  bucket: string().trim().matches(/^[a-z0-9][a-z0-9.-]{1,62}$/, "A bucket's name is made of small letters, digits, dots and hyphens.").required("Name the bucket."),
  prefix: string().trim().matches(/^([A-Za-z0-9._-]+\/)*$/, { message: "A prefix is made of letters, digits, dots and hyphens and ends with /.", excludeEmptyString: true }).default(""),
  accessKeyId: string().trim().required("Write the key's name."),
  secretAccessKey: string().required("Write the key's secret; it is kept sealed and never shown again."),
  reason,
});
