import { and, eq } from "drizzle-orm";
import { byId, type Estate, storeCapacity } from "#core/estate/model.ts";
import { runsMachines, storeCost } from "#core/estate/store-facts.ts";
import type { Application } from "#server/application.ts";
import { storeAccess } from "#server/db/schema.ts";

/** Everything about one store that its inspector shows. */
export async function readStore(app: Application, organisationId: string, estate: Estate, id: string, stored: ReadonlyMap<string, number>) {
  const store = byId(estate.stores).get(id);
  if (!store) return null;
  const [access] = await app.connection.db.select({ address: storeAccess.address, triedAt: storeAccess.triedAt, probe: storeAccess.probe }).from(storeAccess).where(and(eq(storeAccess.organisationId, organisationId), eq(storeAccess.storeId, id)));
  const sites = byId(estate.sites);
  const site = sites.get(store.site)!;
  const used = stored.get(id) ?? 0;
  const second = store.redundancy?.secondSite && sites.get(store.redundancy.secondSite)!;
  return {
    store,
    site: site.name,
    country: site.country,
    second: second ? { name: second.name, country: second.country } : null,
    used,
    left: storeCapacity(store) - used,
    runs: runsMachines(store),
    cost: storeCost(store, used),
    fedBy: estate.policies.filter((p) => p.legs.some((l) => l.to === id)).map((p) => p.name),
    keys: estate.keys.filter((k) => k.opens.includes(id)).map((k) => ({ name: k.name, holders: k.holders.map((h) => ({ ...h, siteName: h.site ? sites.get(h.site)!.name : null })) })),
    access: access ? { address: access.address, triedAt: access.triedAt?.getTime() ?? null, probe: access.probe ?? [] } : null,
  };
}
export type StoreView = NonNullable<Awaited<ReturnType<typeof readStore>>>;
