import { data, redirect } from "react-router";
import type { Application } from "#server/application.ts";
import { isDatabaseDown } from "#server/db/connect.ts";
import { CannotError, type Person, RefusedError } from "#server/people/roles.ts";
import { readSessionToken } from "#server/people/session-cookie.ts";
import { whoIs } from "#server/people/sign-in.ts";

declare module "react-router" {
  interface AppLoadContext {
    app: Application;
  }
}

export type Asker = Person & { organisation: string; timeZone: string };

/** Who asks; whoever is not signed in is sent to the sign-in page. */
export async function asker(request: Request, app: Application): Promise<Asker> {
  const token = readSessionToken(request.headers.get("cookie") ?? "");
  const person = token ? await whoIs(app.connection.db, token) : undefined;
  if (person) return person;
  const url = new URL(request.url);
  throw redirect(`/sign-in?to=${encodeURIComponent(url.pathname + url.search)}`);
}

const AWAY = "The database does not answer. Nothing that was acknowledged is lost; work waits and goes on when it is back. This page tries again by itself.";
const PLATFORM_AWAY = "The stand-in platform does not answer, and with it the clock. Work waits until it is back; this page tries again by itself.";

/** Runs a loader; what is away becomes a page that says so. */
export async function load<T>(context: { app: Application }, request: Request, read: (who: Asker) => Promise<T>): Promise<T> {
  try {
    return await read(await asker(request, context.app));
  } catch (error) {
    throw explained(error);
  }
}

/** Runs an action; what cannot be done comes back as a sentence beside what was typed. */
export async function perform<T>(context: { app: Application }, request: Request, change: (who: Asker) => Promise<T>): Promise<T | { error: string }> {
  try {
    return await change(await asker(request, context.app));
  } catch (error) {
    if (error instanceof CannotError || error instanceof RefusedError) return { error: error.message };
    throw explained(error);
  }
}

export function explained(error: unknown): unknown {
  if (error instanceof Response) return error;
  if (isDatabaseDown(error)) return data({ sentence: AWAY, again: true }, { status: 503 });
  if (error instanceof Error && error.name === "WorldError") return data({ sentence: PLATFORM_AWAY, again: true }, { status: 503 });
  return error;
}
