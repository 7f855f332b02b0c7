import { redirect } from "react-router";
import { readSessionToken } from "#server/people/session-cookie.ts";
import { serve } from "#server/people/sign-in.ts";
import { perform } from "../context.ts";
import type { Route } from "./+types/serve";

/** Works for another organisation that one serves; its own needle and loss are asked anew. */
export async function action({ request, context }: Route.ActionArgs) {
  return perform(context, request, async (who) => {
    const organisation = String((await request.formData()).get("organisation") ?? "");
    await serve(context.app.connection.db, readSessionToken(request.headers.get("cookie") ?? "")!, who, organisation);
    return redirect("/");
  });
}

export const loader = (): Response => redirect("/");
