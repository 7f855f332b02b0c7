import { legUses } from "#core/copies/legs.ts";
import { type Estate, type Leg, type Machine, storeCapacity } from "#core/estate/model.ts";
import { sizeWords } from "#core/wording/amounts.ts";
import { capture } from "#engine/capture.ts";
import type { WriterTotals } from "#engine/chunks/chunk-writer.ts";
import { EngineError } from "#engine/errors.ts";
import type { StreamMap } from "#engine/points/block-map.ts";
import { streamMaps } from "#engine/points/point.ts";
import type { PointId } from "#engine/points/publication.ts";
import { missingBytes, replicate } from "#engine/replicate.ts";
import type { SlicePort } from "#engine/slices.ts";
import type { Source, SourceItem } from "#engine/sources/source.ts";
import type { Vault } from "#engine/vault.ts";
import { WORLD_SCALE } from "#standins/world/protocol.ts";
import type { Database } from "../db/connect.ts";
import { newestPointBefore, noteCopy, notePoint, noteStoreUsage } from "../db/queries/copies.ts";
import { loadEstate } from "../db/queries/estate.ts";
import type { Platform } from "../platforms/platform.ts";
import type { StoreBook } from "../stores/store-book.ts";
import type { Runner, WorkRow, WorkTools } from "./coordinator.ts";
import type { Flow } from "./flow.ts";
import type { LegProgress, WorkProgress } from "./work.ts";

export type CopyTools = { db: Database; platform: Platform; stores: StoreBook };

/** Blocks read from the platform in one go. */
const READ_AHEAD_BLOCKS = 128;
/** Where nobody watches, a slice costs more than it tells. */
const UNWATCHED_SLICE_BYTES = 512 * 1024 ** 3;

/** Captures one machine and carries the point along the legs of its policy. */
export const copyMachine =
  (tools: CopyTools): Runner =>
  async (flow, work, { progress }) => {
    if (work.subject.kind !== "copy") throw new TypeError("not a copy");
    const { machine: machineId, policy: policyId } = work.subject;
    const estate = await loadEstate(tools.db, work.organisationId);
    const machine = estate?.machines.find((m) => m.id === machineId);
    const policy = estate?.policies.find((p) => p.id === policyId);
    if (!estate || !machine || !policy) throw new EngineError("missing", `The estate has no machine ${machineId} with a policy ${policyId} any more`);
    const first = policy.legs.find((leg) => leg.from === "machine")!;
    const legs = new LegBook(work, progress);

    const snapshot = await flow.gate("snapshot", { kind: "act", action: { type: "snapshot", machine: machine.id } });
    if (!snapshot.result.ok) throw new EngineError("missing", `${machine.name} cannot be captured: ${snapshot.result.detail}`);
    const point = await captureMachine(tools, flow, work, estate, machine, first, snapshot.instant, legs);
    const onward = async (from: Leg["to"]): Promise<void> =>
      flow.all(
        policy.legs
          .filter((leg) => leg.from === from)
          .map((leg) => async () => {
            await carry(tools, flow, work, estate, machine, leg, point, legs);
            await onward(leg.to);
          }),
      );
    await onward(first.to);
  };

async function captureMachine(tools: CopyTools, flow: Flow, work: WorkRow, estate: Estate, machine: Machine, leg: Leg, capturedAt: number, legs: LegBook): Promise<PointId> {
  const vault = await tools.stores.vault(work.organisationId, leg.to);
  const base = await newestPointBefore(tools.db, work.organisationId, machine.id, leg.to, capturedAt);
  const maps = base ? await streamMaps(vault, base.id as PointId) : new Map<string, StreamMap>();
  const disks = await Promise.all(
    machine.disks.map(async (disk) => {
      const map = maps.get(disk.id);
      return { id: disk.id, size: disk.size, map, changed: await tools.platform.changedBlocks(machine.id, disk.id, map && base ? base.capturedAt : null, capturedAt) };
    }),
  );
  const total = disks.reduce((sum, d) => sum + d.changed.length * WORLD_SCALE.nominalBlock, 0);
  refuseWithoutRoom(vault, estate, leg.to, total * machine.reduction, machine.name);
  const port = legs.begin(flow, legKey(leg), { from: machine.name, to: leg.to, total, moved: 0, beganAt: capturedAt }, legUses(estate, machine.id, leg));
  const source = new PlatformSource(tools.platform, machine, capturedAt, disks);
  const { publication, config, totals } = await capture(vault, source, { name: machine.id, capturedAt }, port);
  tools.stores.indexSoon(work.organisationId, leg.to);
  const { organisationId } = work;
  await notePoint(tools.db, { organisationId, id: publication.id, machineId: machine.id, capturedAt, nominalBytes: config.nominalBytes, dataBytes: config.dataBytes, changedBytes: config.changedBytes });
  await noteArrival(tools.db, vault, organisationId, publication.id, leg, legs, totals);
  return publication.id;
}

async function carry(tools: CopyTools, flow: Flow, work: WorkRow, estate: Estate, machine: Machine, leg: Leg, point: PointId, legs: LegBook): Promise<void> {
  const [from, to] = await Promise.all([tools.stores.vault(work.organisationId, leg.from), tools.stores.vault(work.organisationId, leg.to)]);
  const total = await missingBytes(from, to, point);
  refuseWithoutRoom(to, estate, leg.to, total * machine.reduction, machine.name);
  const fromName = estate.stores.find((s) => s.id === leg.from)!.name;
  const port = legs.begin(flow, legKey(leg), { from: fromName, to: leg.to, total, moved: 0, beganAt: flow.now }, legUses(estate, machine.id, leg));
  const { totals } = await replicate(from, to, point, port, total);
  tools.stores.indexSoon(work.organisationId, leg.to);
  await noteArrival(tools.db, to, work.organisationId, point, leg, legs, totals);
}

async function noteArrival(db: Database, vault: Vault, organisationId: string, pointId: PointId, leg: Leg, legs: LegBook, totals: WriterTotals): Promise<void> {
  const { arrivedAt, moved, stored } = legs.end(legKey(leg), totals);
  await Promise.all([
    noteCopy(db, { organisationId, pointId, storeId: leg.to, arrivedAt, sentBytes: moved, storedBytes: Math.round(stored) }),
    noteStoreUsage(db, organisationId, leg.to, vault.nominalStored),
  ]);
}

const legKey = (leg: Leg): string => `${leg.from}>${leg.to}`;

/** There is no clean-up yet, so a store that would run over is left as it is and the person told. */
function refuseWithoutRoom(vault: Vault, estate: Estate, storeId: string, wanted: number, machine: string): void {
  const store = estate.stores.find((s) => s.id === storeId)!;
  const used = vault.nominalStored;
  if (used + wanted <= storeCapacity(store)) return;
  throw new EngineError("full", `${store.name} has ${sizeWords(Math.max(0, storeCapacity(store) - used))} left and ${machine} needs about ${sizeWords(wanted)}; enlarge the store (nothing is cleaned up yet)`);
}

/** Keeps count of every leg, and turns the engine's slices into transfers that the world paces. */
class LegBook {
  private readonly legs: Record<string, LegProgress> = {};

  private readonly unwatched: boolean;

  constructor(
    work: WorkRow,
    private readonly report: WorkTools["progress"],
  ) {
    this.unwatched = work.subject.kind === "copy" && work.subject.unwatched === true;
    // What an earlier process counted is shown until this one has counted it again.
    Object.assign(this.legs, (work.progress as WorkProgress).legs);
  }

  begin(flow: Flow, key: string, leg: LegProgress, uses: { resource: string; coefficient: number }[]): SlicePort {
    const before = this.legs[key];
    // Bytes that had arrived when the work was interrupted are missing no more, but still belong to the leg.
    const mine: LegProgress = before ? { ...before, total: Math.max(before.total, leg.total), moved: Math.max(0, before.total - leg.total) } : leg;
    this.legs[key] = mine;
    this.report({ legs: { ...this.legs } });
    let last = mine.beganAt;
    return {
      ...(this.unwatched ? { leastSliceBytes: UNWATCHED_SLICE_BYTES } : {}),
      slice: async (slice, nominalBytes, write) => {
        // Where nobody watches, the bytes go while the world has them travel. That is only for a past that
        // is made anew where it is cut off: what lay in the store early would not travel again.
        const early = this.unwatched ? write() : undefined;
        early?.catch(() => undefined);
        const arrivedAt = await flow.moved(`${key}/${slice}`, nominalBytes, uses);
        const result = await (early ?? write());
        last = Math.max(last, arrivedAt);
        mine.moved = Math.min(mine.total, mine.moved + nominalBytes);
        mine.arrivedAt = last;
        this.report({ legs: { ...this.legs } });
        return result;
      },
    };
  }

  /** What a leg came to in all, over every process that had a part in it. */
  end(key: string, totals: WriterTotals): { arrivedAt: number; moved: number; stored: number } {
    const leg = this.legs[key]!;
    const arrivedAt = leg.arrivedAt ?? leg.beganAt;
    // A leg that moved nothing has arrived when it began.
    Object.assign(leg, { moved: leg.total, arrivedAt });
    this.report({ legs: { ...this.legs } });
    // What an earlier process stored was not counted here; its share is that of what this one stored.
    const counted = totals.nominalSent > 0 ? (totals.nominalStored / totals.nominalSent) * leg.total : 0;
    return { arrivedAt, moved: leg.total, stored: Math.max(totals.nominalStored, Math.min(counted, leg.total)) };
  }
}

/** A machine's disks at a snapshot's instant; only blocks changed since the base are read. */
class PlatformSource implements Source {
  readonly kind = "machine";
  readonly scale = WORLD_SCALE;
  readonly machine: Record<string, unknown>;

  constructor(
    private readonly platform: Platform,
    private readonly of: Machine,
    private readonly at: number,
    private readonly disks: { id: string; size: number; map: StreamMap | undefined; changed: number[] }[],
  ) {
    this.machine = { id: of.id, cores: of.cores, memory: of.memory, disks: of.disks.map((d) => ({ id: d.id, size: d.size })) };
  }

  async *entries(): AsyncGenerator<SourceItem> {
    for (const disk of [...this.disks].sort((a, b) => (a.id < b.id ? -1 : 1))) {
      const ahead = new Map<number, Buffer>();
      let next = 0;
      let reading: Promise<void> = Promise.resolve();
      const fetchAhead = async (block: number): Promise<void> => {
        if (ahead.has(block)) return;
        const from = disk.changed.indexOf(block, next);
        // A block that has not changed is asked for where the store no longer has it whole.
        const wanted = from < 0 ? [block] : disk.changed.slice(from, from + READ_AHEAD_BLOCKS);
        if (from >= 0) next = from + wanted.length;
        const bytes = await this.platform.readBlocks(this.of.id, disk.id, this.at, wanted);
        wanted.forEach((b, i) => ahead.set(b, bytes.subarray(i * WORLD_SCALE.realBlock, (i + 1) * WORLD_SCALE.realBlock)));
      };
      yield {
        kind: "entry",
        entry: { path: Buffer.from(disk.id), type: "disk", bytes: disk.size },
        stream: {
          nominalBytes: disk.size,
          since: { map: disk.map, changed: disk.changed },
          read: async (block) => {
            reading = reading.then(() => fetchAhead(block));
            await reading;
            const bytes = ahead.get(block)!;
            ahead.delete(block);
            return bytes;
          },
        },
      };
    }
  }
}
