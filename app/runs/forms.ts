import { object, string } from "yup";

export const confirmForm = object({ service: string().required(), byWhom: string().trim().min(2, "Say on whose word, by role or name.").max(120, "Keep it under 120 characters.").required("Say on whose word, by role or name.") });
