import type { FlowState, LegState } from "#core/copies/under-way.ts";
import type { WorldStatus } from "#standins/world/protocol.ts";
import type { WorkView } from "../db/queries/work.ts";

/** The world's transfers by the work and leg they belong to. */
export function flowStates(flows: WorldStatus["flows"]): FlowState[] {
  return flows.flatMap(({ key, bytes, left, rate }) => {
    const match = /^work:([0-9a-f-]{36})\/([^/]*)\//.exec(key);
    return match ? [{ work: match[1]!, leg: match[2]!, bytes, left, rate }] : [];
  });
}

/** The legs of copies that have begun, as last written down. */
export function legStates(works: readonly WorkView[]): (LegState & { leg: string })[] {
  return works.flatMap((work) => {
    const { subject } = work;
    if (subject.kind !== "copy") return [];
    return Object.entries(work.progress.legs ?? {}).map(([leg, l]) => ({ leg, work: work.id, machine: subject.machine, from: l.from, to: l.to, total: l.total, moved: l.moved, beganAt: l.beganAt, arrived: l.moved >= l.total && l.arrivedAt !== undefined }));
  });
}
