import { redirect } from "react-router";
import { perform } from "../../../context.ts";
import { orUnanswered } from "../../../ui/or-unanswered.ts";
import type { Route } from "./+types/route";
import { actOnService } from "./actions.ts";

/** Where forms about services go; looked at, it is the list of them. */
export const loader = () => redirect("/estate?show=services");

export async function action({ request, context }: Route.ActionArgs) {
  return perform(context, request, async (who) => actOnService(context.app, who, await request.formData()));
}
export const clientAction = ({ serverAction }: Route.ClientActionArgs) => orUnanswered(() => serverAction());
