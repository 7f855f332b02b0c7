import { redirect } from "react-router";
import { endedCookie, readSessionToken } from "#server/people/session-cookie.ts";
import { signOut } from "#server/people/sign-in.ts";
import type { Route } from "./+types/sign-out";

export async function action({ request, context }: Route.ActionArgs) {
  const token = readSessionToken(request.headers.get("cookie") ?? "");
  if (token) await signOut(context.app.connection.db, token);
  return redirect("/sign-in", { headers: { "set-cookie": endedCookie() } });
}

export const loader = () => redirect("/");
