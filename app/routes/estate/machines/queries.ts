import { changeByHour } from "#core/copies/change-by-hour.ts";
import { changedBytes } from "#core/copies/changed-bytes.ts";
import { TRACKING_BLOCK_BYTES } from "#core/copies/legs.ts";
import type { Gap } from "#core/estate/gaps.ts";
import { byId, usedBytes } from "#core/estate/model.ts";
import { closedBy, couldRunOn } from "#core/estate/platforms.ts";
import type { Application } from "#server/application.ts";
import { pointsOf, storedBytes } from "#server/db/queries/copies.ts";
import { knownGaps } from "#server/estate/known-gaps.ts";
import { estateVersion } from "#server/estate/last-change.ts";
import { type Outlook, outlook } from "#server/outlook.ts";

/** One machine: what it is, how much it changes, where else it could run; null where there is none of this id. */
export async function readMachine(app: Application, organisationId: string, asked: { at: string | null; lost: string[] }, id: string) {
  const view = await outlook(app, organisationId, asked);
  const machine = view?.estate.machines.find((m) => m.id === id);
  if (!view || !machine) return null;
  const { estate, at } = view;
  const hosts = byId(estate.hosts);
  const sites = byId(estate.sites);
  const networks = byId(estate.networks);
  const host = hosts.get(machine.host)!;
  const family = estate.platforms.find((p) => p.id === host.platform);
  const points = (await pointsOf(app.connection.db, organisationId, id)).filter((p) => p.capturedAt <= at);
  return {
    machine,
    host: host.name,
    site: sites.get(host.site)!.name,
    family: family?.name ?? host.platform,
    closed: family ? closedBy(family) : [],
    services: estate.services.filter((s) => s.machines.includes(id)).map((s) => ({ id: s.id, name: s.name })),
    policies: estate.policies.filter((p) => p.machines.includes(id)).map((p) => p.name),
    attached: (machine.attached ?? []).map((a) => ({ name: networks.get(a.network)!.name, range: networks.get(a.network)!.range, address: a.address ?? null })),
    elsewhere: [...couldRunOn(estate, machine)].sort((a, b) => Number(a.host.site === host.site) - Number(b.host.site === host.site)).map(({ host: h, how, reasons }) => ({ id: h.id, name: h.name, site: sites.get(h.site)!.name, sameSite: h.site === host.site, how, reasons })),
    points: points.length,
    newest: points[0]?.capturedAt ?? null,
    week: changeByHour(points.map(({ capturedAt, changedBytes: bytes }) => ({ capturedAt, changedBytes: bytes })), estate.organisation.timeZone),
    expected: changedBytes(machine.change, TRACKING_BLOCK_BYTES, 3_600, usedBytes(machine)),
    gaps: (await wanting(app, organisationId, view)).filter((g) => g.about.kind === "machines" && g.about.ids.includes(id)),
  };
}
async function wanting(app: Application, organisationId: string, { estate, at, changedSince }: Outlook): Promise<Gap[]> {
  const { db } = app.connection;
  return knownGaps(db, estate, await estateVersion(db, organisationId), at, await storedBytes(db, organisationId), changedSince);
}
export type MachineView = NonNullable<Awaited<ReturnType<typeof readMachine>>>;
