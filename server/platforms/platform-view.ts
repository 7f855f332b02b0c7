import { and, asc, desc, eq } from "drizzle-orm";
import { agentsWanting, compareDiscovery, type Finding, type Inventory } from "#core/estate/discovery.ts";
import type { Estate } from "#core/estate/model.ts";
import { closedBy } from "#core/estate/platforms.ts";
import { countWords, sizeWords } from "#core/wording/amounts.ts";
import { openFindings } from "../acts/platforms.ts";
import type { Application } from "../application.ts";
import { platformConnections, works } from "../db/schema.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { estateVersion } from "../estate/last-change.ts";

type Row = typeof platformConnections.$inferSelect;

/** Connected platforms for the list, each with what it was last found to be. */
export async function readPlatforms(app: Application, organisationId: string, estate: Estate) {
  const rows = await app.connection.db.select().from(platformConnections).where(eq(platformConnections.organisationId, organisationId)).orderBy(asc(platformConnections.id));
  const sites = new Map(estate.sites.map((s) => [s.id, s.name]));
  return rows.map((row) => ({ ...shownOf(row, estate), site: sites.get(row.siteId) ?? row.siteId, open: findingsOf(row, estate).open.length }));
}

/** What may be shown of a connection: never the password. */
function shownOf(row: Row, estate: Estate) {
  const { inventory } = row;
  const family = estate.platforms.find((p) => p.id === inventory?.family);
  return {
    id: row.id,
    address: row.address,
    account: row.account,
    siteId: row.siteId,
    triedAt: row.triedAt?.getTime() ?? null,
    trials: row.trials ?? [],
    discoveredAt: row.discoveredAt,
    family: inventory ? (family?.name ?? inventory.family) : null,
    version: inventory?.version ?? null,
    machines: inventory?.machines.length ?? 0,
    hosts: inventory?.hosts.length ?? 0,
  };
}

const findingsOf = (row: Row, estate: Estate): { open: Finding[]; left: Finding[] } => (row.inventory ? openFindings(compareDiscovery(estate, row.inventory, row.siteId, row.known), row.left) : { open: [], left: [] });

/** One platform with everything that was found about it; null where it is not connected. */
export async function readPlatform(app: Application, organisationId: string, id: string) {
  const { db } = app.connection;
  const [row] = await db.select().from(platformConnections).where(and(eq(platformConnections.organisationId, organisationId), eq(platformConnections.id, id)));
  const base = await estateVersion(db, organisationId);
  const estate = await loadEstate(db, organisationId);
  if (!row || !estate) return null;
  const asked = await db.select().from(works).where(and(eq(works.organisationId, organisationId), eq(works.kind, "discover"))).orderBy(desc(works.createdAt)).limit(20);
  const work = asked.find((w) => w.subject.kind === "discover" && w.subject.platform === id);
  const { inventory } = row;
  const stated = inventory && estate.platforms.find((p) => p.id === inventory.family);
  const family = inventory && { id: inventory.family, name: stated?.name ?? inventory.family, kind: stated?.kind ?? ("hypervisor" as const), can: inventory.can, converts: inventory.converts };
  const { open, left } = findingsOf(row, estate);
  return {
    ...shownOf(row, estate),
    base,
    site: estate.sites.find((s) => s.id === row.siteId)?.name ?? row.siteId,
    can: inventory?.can ?? [],
    converts: inventory?.converts ?? [],
    closed: family && inventory.hosts.length > 0 ? closedBy(family) : [],
    agents: inventory ? agentsWanting(inventory, family?.kind === "bare") : [],
    images: (inventory?.machines ?? []).flatMap((m) => (m.folder ? [{ id: m.id, folder: m.folder }] : [])),
    agentsAnswering: (inventory?.machines ?? []).flatMap((m) => (m.agent?.answers ? [`${m.id} (${m.agent.version})`] : [])),
    findings: open.map((f) => ({ ...f, about: f.change === "appeared" && inventory ? aboutNew(f, inventory) : "" })),
    left: left.map((f) => ({ ...f, reason: row.left[f.key]!.reason, personName: row.left[f.key]!.personName })),
    work: work && { state: work.state, note: work.progress.note ?? null, failure: work.failure },
  };
}
/** What is new, in a few words. */
function aboutNew({ kind, id }: Finding, inventory: Inventory): string {
  const machine = kind === "machines" && inventory.machines.find((m) => m.id === id);
  if (machine) return `${countWords(machine.cores, "core")}, ${sizeWords(machine.memory)} of memory, ${sizeWords(machine.disks.reduce((n, d) => n + d.size, 0))} of disk on ${machine.host}`;
  const host = kind === "hosts" && inventory.hosts.find((h) => h.id === id);
  if (host) return `${countWords(host.cores, "core")}, ${sizeWords(host.memory)} of memory`;
  return inventory.networks.find((n) => n.id === id)?.range ?? "";
}

export type PlatformView = NonNullable<Awaited<ReturnType<typeof readPlatform>>>;
