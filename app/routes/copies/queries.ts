import { changedBytes } from "#core/copies/changed-bytes.ts";
import { groupExposureOver } from "#core/copies/group-exposure.ts";
import { exposureOver, exposureSummary } from "#core/copies/exposure.ts";
import { measuredLags, projectedLags, TRACKING_BLOCK_BYTES } from "#core/copies/legs.ts";
import { storeRoom } from "#core/copies/store-room.ts";
import { byId, type Estate, type MachineId, storeCapacity, usedBytes } from "#core/estate/model.ts";
import { type Outage, outageOf } from "#core/outage/closure.ts";
import type { CopyFact } from "#core/copies/copy-fact.ts";
import { countWords } from "#core/wording/amounts.ts";
import type { Application } from "#server/application.ts";
import { grownBytes, type PointView, pointsOf, storedBytes } from "#server/db/queries/copies.ts";
import { lastPathWork, loadProtectedPaths, loadSchedules } from "#server/db/queries/work.ts";
import { pathMachine } from "#server/jobs/protect-path.ts";
import { outlook } from "#server/outlook.ts";

const DAY_SECONDS = 86_400;
const EXPOSURE_DAYS = 3;

/** Rows drawn at once; more are found by the filter. */
const SHOWN_ROWS = 300;
/** Policies of more machines are copied whole from the page. */
const CHOSEN_MACHINES = 300;

export type Cell = { capturedAt: number; age: number; state: CopyFact["state"]; damagedNewer: boolean } | null;
export type MachineRow = { id: MachineId; name: string; rpo: number | null; service: string | null; cells: Cell[]; /** By store: whether a policy carries it there. */ expected: boolean[] };

/** Everything the page shows, for the needle and the loss of the question. */
export async function readCopies(app: Application, organisationId: string, asked: { at: string | null; lost: string[] }, machineId: string | null, filter = "") {
  const { db } = app.connection;
  const view = await outlook(app, organisationId, asked);
  if (!view) return null;
  const { estate, facts, at, now, lost } = view;
  const outage = outageOf(estate, lost);
  const [used, grown, schedules, paths, pathWork] = await Promise.all([
    storedBytes(db, organisationId),
    grownBytes(db, organisationId, now - DAY_SECONDS * 1000),
    loadSchedules(db, organisationId),
    loadProtectedPaths(db, organisationId),
    lastPathWork(db, organisationId),
  ]);
  const rows = machineRows(estate, facts, at);
  const protectedPaths = await Promise.all(paths.map(async (p) => ({ name: p.name, path: p.path, storeIds: p.storeIds, points: (await pointsOf(db, organisationId, pathMachine(p.name))).slice(0, 20) })));
  const chosen = rows.find((r) => r.id === machineId);
  const words = filter.toLowerCase().split(/\s+/).filter(Boolean);
  const fitting = words.length === 0 ? rows : rows.filter((r) => words.every((w) => `${r.name} ${r.service ?? ""}`.toLowerCase().includes(w)));
  return {
    at,
    now,
    rows: fitting.slice(0, SHOWN_ROWS),
    fitting: fitting.length,
    machines: rows.length,
    stores: estate.stores.map((s) => ({ id: s.id, name: s.name, kind: s.kind, lost: outage.stores.has(s.id), room: storeRoom(storeCapacity(s), used.get(s.id) ?? 0, grown.get(s.id) ?? 0, DAY_SECONDS) })),
    headline: headline(rows, outage.stores, estate, outage.sites.size > 0),
    policies: policyViews(estate, facts, at, now, schedules),
    paths: protectedPaths,
    pathWork: pathWork.map((w) => ({ id: w.id, kind: w.kind, state: w.state, failure: w.failure, note: w.progress.note ?? null, name: "name" in w.subject ? w.subject.name : "", reason: w.reason })),
    chosen: chosen && { ...chosen, ...(await machineView(app, organisationId, estate, facts, chosen, outage, at)) },
  };
}

/** For every machine the newest whole copy in each store as of the needle. */
function machineRows(estate: Estate, facts: readonly CopyFact[], at: number): MachineRow[] {
  const known = new Map<string, CopyFact[]>();
  for (const f of facts) {
    if (f.arrivedAt > at || f.capturedAt > at) continue;
    const key = `${f.machine}\n${f.store}`;
    known.set(key, [...(known.get(key) ?? []), f]);
  }
  const carried = new Set(estate.policies.flatMap((p) => p.machines.flatMap((m) => p.legs.map((leg) => `${m}\n${leg.to}`))));
  return estate.machines.map((machine) => {
    const services = estate.services.filter((s) => s.machines.includes(machine.id)).sort((a, b) => a.rpo - b.rpo);
    const cells = estate.stores.map((store): Cell => {
      const mine = (known.get(`${machine.id}\n${store.id}`) ?? []).sort((a, b) => b.capturedAt - a.capturedAt);
      const whole = mine.find((f) => f.state !== "damaged");
      const shown = whole ?? mine[0];
      return shown ? { capturedAt: shown.capturedAt, age: (at - shown.capturedAt) / 1000, state: shown.state, damagedNewer: mine[0]!.state === "damaged" && mine[0] !== whole } : null;
    });
    return { id: machine.id, name: machine.name, rpo: services[0]?.rpo ?? null, service: services[0]?.name ?? null, cells, expected: estate.stores.map((store) => carried.has(`${machine.id}\n${store.id}`)) };
  });
}

function headline(rows: readonly MachineRow[], lostStores: ReadonlySet<string>, estate: Estate, sitesLost: boolean): { title: string; sub: string } {
  const surviving = (row: MachineRow): Exclude<Cell, null>[] => row.cells.filter((cell, i): cell is Exclude<Cell, null> => cell !== null && cell.state !== "damaged" && !lostStores.has(estate.stores[i]!.id));
  const without = rows.filter((r) => surviving(r).length === 0);
  const old = rows.filter((r) => r.rpo !== null && surviving(r).length > 0 && Math.min(...surviving(r).map((c) => c.age)) > r.rpo);
  const damaged = rows.filter((r) => r.cells.some((c) => c && (c.state === "damaged" || c.damagedNewer)));
  const where = sitesLost ? "that survives this loss" : "in a surviving store";
  return {
    title: without.length === 0 ? `Every machine has a copy ${where}.` : `${countWords(without.length, "machine has", "machines have")} no copy ${where}.`,
    sub: `${old.length === 0 ? "All surviving copies are within their RPO." : `${countWords(old.length, "machine’s newest surviving copy is", "machines’ newest surviving copies are")} older than its RPO.`.replace("copies are older than its RPO", "copies are older than their RPO")}${damaged.length > 0 ? ` ${countWords(damaged.length, "machine has", "machines have")} a damaged copy.` : ""}`,
  };
}

function policyViews(estate: Estate, facts: readonly CopyFact[], at: number, now: number, schedules: Awaited<ReturnType<typeof loadSchedules>>) {
  const measured = measuredLags(facts.filter((f) => f.arrivedAt <= at));
  const machines = byId(estate.machines);
  const newest = new Map<MachineId, number>();
  for (const f of facts) if (f.capturedAt <= now) newest.set(f.machine, Math.max(f.capturedAt, newest.get(f.machine) ?? -Infinity));
  return estate.policies.map((policy) => {
    const schedule = schedules.find((s) => s.policyId === policy.id);
    const projected = projectedLags(estate, policy, now);
    const longest = (lags: ReadonlyMap<string, number>, store: string): number | null => {
      const all = policy.machines.flatMap((m) => lags.get(`${m}\n${store}`) ?? []);
      return all.length > 0 ? all.reduce((a, b) => Math.max(a, b)) : null;
    };
    const sizes = policy.machines.map((id) => {
      const machine = machines.get(id)!;
      const last = newest.get(id);
      const bytes = last === undefined ? usedBytes(machine) : changedBytes(machine.change, TRACKING_BLOCK_BYTES, (now - last) / 1000, usedBytes(machine));
      return { id, name: machine.name, bytes };
    });
    return {
      id: policy.id,
      name: policy.name,
      every: policy.every,
      running: schedule?.running ?? false,
      nextAt: schedule?.nextAt ?? null,
      count: sizes.length,
      bytes: sizes.reduce((sum, m) => sum + m.bytes, 0),
      /** None where there are too many to choose among on a page. */
      machines: sizes.length > CHOSEN_MACHINES ? [] : sizes,
      legs: policy.legs.map((leg) => ({ from: leg.from, to: leg.to, name: estate.stores.find((s) => s.id === leg.to)!.name, lastSeconds: longest(measured, leg.to), projectedSeconds: longest(projected, leg.to) })),
    };
  });
}

async function machineView(app: Application, organisationId: string, estate: Estate, facts: readonly CopyFact[], row: MachineRow, outage: Outage, at: number) {
  const from = at - EXPOSURE_DAYS * DAY_SECONDS * 1000;
  const group = estate.groups.find((g) => g.machines.includes(row.id));
  // Of a group the lost machines have to agree; where none is lost, all that would be.
  const together = group && { ...group, machines: outage.machines.has(row.id) ? group.machines.filter((m) => outage.machines.has(m)) : group.machines };
  const vertices = together ? groupExposureOver(facts, together, outage.stores, from, at) : exposureOver(facts, row.id, outage.stores, from, at);
  const machine = estate.machines.find((m) => m.id === row.id)!;
  const points: PointView[] = (await pointsOf(app.connection.db, organisationId, row.id)).filter((p) => p.capturedAt <= at);
  return {
    host: estate.hosts.find((h) => h.id === machine.host)!.name,
    vertices,
    group: together ? { name: together.name, others: together.machines.filter((m) => m !== row.id) } : null,
    summary: exposureSummary(vertices, row.rpo ?? Infinity),
    exposureNow: vertices.at(-1)!.seconds,
    points: points.slice(0, 60),
    pointCount: points.length,
  };
}
