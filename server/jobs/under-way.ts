import type { FlowState, LegState } from "#core/copies/under-way.ts";
import type { WorldStatus } from "#standins/world/protocol.ts";
import { inArray } from "drizzle-orm";
import type { Database } from "../db/connect.ts";
import { works } from "../db/schema.ts";
import type { WorkView } from "../db/queries/work.ts";

/** The world's transfers by the work and leg they belong to. */
export function flowStates(flows: WorldStatus["flows"]): FlowState[] {
  return flows.flatMap(({ key, bytes, left, rate }) => {
    const match = /^work:([0-9a-f-]{36})\/([^/]*)\//.exec(key);
    return match ? [{ work: match[1]!, leg: match[2]!, bytes, left, rate }] : [];
  });
}

/** Whose work moves: remembered, for work never changes hands. */
export class WorkOwners {
  private readonly owners = new Map<string, string>();

  constructor(private readonly db: Database) {}

  /** Transfers by the organisation whose work they are. */
  async byOrganisation(flows: readonly FlowState[]): Promise<Map<string, FlowState[]>> {
    const unknown = [...new Set(flows.map((f) => f.work))].filter((id) => !this.owners.has(id));
    if (unknown.length > 0) {
      if (this.owners.size > MOST_OWNERS) this.owners.clear();
      const rows = await this.db.select({ id: works.id, organisationId: works.organisationId }).from(works).where(inArray(works.id, [...new Set(flows.map((f) => f.work))]));
      for (const row of rows) this.owners.set(row.id, row.organisationId);
    }
    const mine = new Map<string, FlowState[]>();
    for (const flow of flows) {
      const owner = this.owners.get(flow.work);
      if (owner !== undefined) mine.set(owner, [...(mine.get(owner) ?? []), flow]);
    }
    return mine;
  }
}
const MOST_OWNERS = 10_000;

/** The legs of copies that have begun, as last written down. */
export function legStates(works: readonly WorkView[]): (LegState & { leg: string })[] {
  return works.flatMap((work) => {
    const { subject } = work;
    if (subject.kind !== "copy") return [];
    return Object.entries(work.progress.legs ?? {}).map(([leg, l]) => ({ leg, work: work.id, machine: subject.machine, from: l.from, to: l.to, total: l.total, moved: l.moved, beganAt: l.beganAt, arrived: l.moved >= l.total && l.arrivedAt !== undefined }));
  });
}
