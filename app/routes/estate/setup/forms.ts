import { object, string } from "yup";
import { SETUP_KINDS } from "#server/checks/setup.ts";

export const setupForm = object({
  what: string().oneOf(SETUP_KINDS, "Choose what it is for.").required(),
  address: string().trim().matches(/^(\[[0-9a-fA-F:]+\]|[A-Za-z0-9.-]+):[0-9]{1,5}$/, "Write host:port, such as ns.example:53.").required("Write host:port, such as ns.example:53."),
});
