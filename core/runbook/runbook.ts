import type { HostId, MachineId, ServiceId, StoreId } from "../estate/model.ts";
import type { Timeline, TimelineResources, TimelineStep } from "../timeline/simulate.ts";

export type StepKind = "detect" | "declare" | "return-coordinator" | "prepare" | "retrieve" | "bring-back" | "boot" | "switch-names" | "check" | "tell";

/** Who carries a step out: the people called, the coordinator (this software), a platform. */
export type StepActor = "people" | "coordinator" | "platform";

export type RunbookStep = TimelineStep & {
  /** Those of `after` that must have succeeded; the others need only be over. */
  needs: readonly string[];
  kind: StepKind;
  title: string;
  actor: StepActor;
  service: ServiceId | null;
  machine: MachineId | null;
};

/** How one machine comes back: which point, from which stores (the best first), onto which host. */
export type MachinePlan = { machine: MachineId; point: string; capturedAt: number; predicted: boolean; stores: StoreId[]; dataBytes: number; host: HostId };

export type ServicePlan =
  | { kind: "returns"; service: ServiceId; serviceable: string }
  /** Stays up, or is not part of this run. */
  | { kind: "stays"; service: ServiceId }
  | { kind: "cannot"; service: ServiceId; reason: string; details: string[] };

export type Runbook = {
  at: number;
  lost: string[];
  purpose: "failover" | "rehearsal";
  steps: RunbookStep[];
  resources: TimelineResources;
  machines: Map<MachineId, MachinePlan>;
  services: Map<ServiceId, ServicePlan>;
  /** Loops of dependencies and what breaks them, and other things one should know. */
  notes: string[];
};

export type TimedRunbook = Runbook & { timeline: Timeline };

