import { redirect } from "react-router";
import { perform } from "../../../context.ts";
import type { Route } from "./+types/route";
import { actOnPlatforms } from "./actions.ts";

/** Where every form about platforms is sent; the list itself is a part of the estate's page. */
export const loader = (): Response => redirect("/estate?show=platforms");

export async function action({ request, context }: Route.ActionArgs) {
  return perform(context, request, async (who) => actOnPlatforms(context.app, who, await request.formData()));
}
