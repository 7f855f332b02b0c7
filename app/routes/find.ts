import { loadEstate } from "#server/db/queries/estate.ts";
import { load } from "../context.ts";
import type { Route } from "./+types/find";

const MOST = 40;

/** Machines whose name or id holds a text, for the command search where there are too many to send along. */
export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const text = (new URL(request.url).searchParams.get("text") ?? "").toLowerCase();
    const estate = text.length < 2 ? null : await loadEstate(context.app.connection.db, who.organisationId);
    const machines = (estate?.machines ?? []).filter((m) => m.name.toLowerCase().includes(text) || m.id.includes(text)).slice(0, MOST);
    return { machines: machines.map((m) => ({ id: m.id, name: m.name })) };
  });
}
