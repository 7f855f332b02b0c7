import { and, eq, isNotNull } from "drizzle-orm";
import { landingsOf } from "#core/estate/landing.ts";
import { byId, type Estate } from "#core/estate/model.ts";
import type { Database } from "../db/connect.ts";
import { platformConnections } from "../db/schema.ts";

/** Landing zones of an estate held against what connected platforms were found to have; names, not ids. */
export async function readLandings(db: Database, estate: Estate) {
  const rows = await db.select().from(platformConnections).where(and(eq(platformConnections.organisationId, estate.organisation.id), isNotNull(platformConnections.inventory)));
  const sites = byId(estate.sites);
  const services = byId(estate.services);
  const families = byId(estate.platforms);
  const found = (site: string, platform: string): { row: (typeof rows)[number]; answer: { inventory: NonNullable<(typeof rows)[number]["inventory"]>; landing: NonNullable<(typeof rows)[number]["inventory"]>["landing"] | null } } | null => {
    const row = rows.find((r) => r.siteId === site && r.inventory!.family === platform);
    return row ? { row, answer: { inventory: row.inventory!, landing: row.inventory!.landing ?? null } } : null;
  };
  return landingsOf(estate, (site, platform) => {
    const answer = found(site, platform)?.answer;
    return answer ? { inventory: answer.inventory, landing: answer.landing ?? null } : null;
  }).map((landing) => ({
    ...landing,
    nameOf: Object.fromEntries(landing.services.map((id) => [id, services.get(id)!.name])),
    key: `${landing.site}/${landing.platform}`,
    siteName: sites.get(landing.site)!.name,
    platformName: families.get(landing.platform)?.name ?? landing.platform,
    connection: found(landing.site, landing.platform)?.row.id ?? null,
    discoveredAt: found(landing.site, landing.platform)?.row.discoveredAt ?? null,
    missing: landing.requirements.filter((r) => r.state === "missing").length,
    unknown: landing.requirements.filter((r) => r.state === "unknown").length,
  }));
}
export type LandingView = Awaited<ReturnType<typeof readLandings>>[number];
