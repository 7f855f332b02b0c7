import { linkRateAt, linkRateSteps } from "#core/estate/link-rate.ts";
import { maxMinShares } from "#core/sharing/max-min.ts";
import type { EnclaveReport, Pace, WorldEvent, WorldOperation, WorldResult } from "./protocol.ts";
import { normal } from "./random.ts";
import type { Truth } from "./truth.ts";

type Active = { operation: WorldOperation; began: number; ends: number | null; left: number };
type Enclave = { machines: Record<string, { host: string; state: "made" | "running"; disks: { id: string; bytes: number }[] }>; names: Record<string, string[]>; messages: { to: string; text: string; instant: number }[] };

/** All that the world remembers; plain JSON. */
export type WorldState = {
  instant: number;
  seq: number;
  pace: Pace;
  handWaits: boolean;
  active: Record<string, Active>;
  /** Events not yet acknowledged, in order. */
  pending: WorldEvent[];
  /** Keys of operations that have ended, so that none is carried out twice. */
  ended: Record<string, WorldEvent>;
  enclaves: Record<string, Enclave>;
};

export type WorldRecord =
  | { type: "operation"; instant: number; operation: WorldOperation }
  | { type: "event"; event: WorldEvent }
  | { type: "acknowledge"; seqs: number[] }
  | { type: "again"; key: string }
  | { type: "cancel"; instant: number; keys: string[] }
  | { type: "pace"; pace: Pace }
  | { type: "hand"; waits: boolean }
  | { type: "discard"; enclave: string };

/** What the world needs to look at when an act ends; reading disks is the shell's affair. */
export type Outlook = { startsFrom: (enclave: string, machine: string, disk: string) => Promise<boolean> };

const ENDED_KEPT = 50_000;
const RATE_HORIZON_SECONDS = 2 * 86_400;

export const beginning = (truth: Truth): WorldState => ({
  instant: truth.begins,
  seq: 0,
  pace: { mode: "hurried", factor: 60 },
  handWaits: false,
  active: {},
  pending: [],
  ended: {},
  enclaves: {},
});

/** The state machine of the world: every change is a record, and replaying the records gives the same state. */
export class Simulation {
  private rates: Map<string, number> | undefined;
  private change = { from: Infinity, at: -Infinity };
  private endedCount: number;

  constructor(
    readonly truth: Truth,
    readonly state: WorldState,
  ) {
    this.endedCount = Object.keys(state.ended).length;
  }

  apply(record: WorldRecord): void {
    const { state } = this;
    switch (record.type) {
      case "operation": {
        this.advance(record.instant);
        const { operation } = record;
        const seconds = operation.kind === "act" ? (operation.takes ?? this.actSeconds(operation)) : 0;
        const ends =
          operation.kind === "wake" ? Math.max(state.instant, operation.at) : operation.kind === "act" ? Math.round(state.instant + seconds * 1000) : this.unknownWay(operation) ? state.instant : null;
        state.active[operation.key] = { operation, began: state.instant, ends, left: operation.kind === "flow" ? operation.bytes : 0 };
        break;
      }
      case "event":
        this.advance(record.event.instant);
        this.takeEffect(record.event);
        delete state.active[record.event.key];
        state.pending.push(record.event);
        state.seq = record.event.seq;
        break;
      case "acknowledge":
        for (const event of state.pending.filter((e) => record.seqs.includes(e.seq))) {
          state.ended[event.key] = event;
          this.endedCount++;
        }
        state.pending = state.pending.filter((e) => !record.seqs.includes(e.seq));
        if (this.endedCount > ENDED_KEPT * 1.2) this.forgetOldest();
        break;
      case "again": {
        // Somebody asks for what was acknowledged, so its answer was lost there: told again as it was, not carried out again.
        const event = state.ended[record.key];
        if (event) state.pending.push(event);
        break;
      }
      case "cancel":
        this.advance(record.instant);
        for (const key of record.keys) delete state.active[key];
        state.pending = state.pending.filter((e) => !record.keys.includes(e.key));
        break;
      case "pace":
        state.pace = record.pace;
        break;
      case "hand":
        state.handWaits = record.waits;
        break;
      case "discard":
        delete state.enclaves[record.enclave];
        break;
    }
    if (record.type === "operation" || record.type === "event" || record.type === "cancel") this.rates = undefined;
  }

  /** Whether an operation is under way, waiting to be acknowledged, or over. */
  knows(key: string): boolean {
    return key in this.state.active || key in this.state.ended || this.state.pending.some((e) => e.key === key);
  }

  /** Whether an operation has ended and that was acknowledged. */
  isOver(key: string): boolean {
    return key in this.state.ended && !this.state.pending.some((e) => e.key === key);
  }

  get held(): boolean {
    return this.state.pending.length > 0;
  }

  get hurries(): boolean {
    return Object.values(this.state.active).some((a) => a.operation.foreground);
  }

  get busy(): boolean {
    return Object.values(this.state.active).some((a) => a.operation.foreground || a.operation.kind !== "wake");
  }

  /** The instant of the next thing that ends, with its keys; rate changes on the way are taken along. */
  next(): { instant: number; keys: string[] } | undefined {
    const { state } = this;
    if (Object.keys(state.active).length === 0) return undefined;
    let instant = Infinity;
    let keys: string[] = [];
    const offer = (key: string, at: number): void => {
      if (at < instant) {
        instant = at;
        keys = [key];
      } else if (at === instant) keys.push(key);
    };
    const ends = this.flowEnds();
    for (const [key, a] of Object.entries(state.active)) offer(key, a.ends ?? ends.get(key) ?? Infinity);
    return instant === Infinity ? undefined : { instant, keys };
  }

  rateOf(key: string): number {
    return this.rateMap(this.state.instant).get(key) ?? 0;
  }

  private flows(): [string, Active][] {
    return Object.entries(this.state.active).filter(([, a]) => a.operation.kind === "flow");
  }

  private rateMap(at: number): Map<string, number> {
    if (this.rates) return this.rates;
    const capacities = new Map(Object.entries(this.truth.rates).map(([id, r]) => [id, linkRateAt({ id, between: ["", ""], latencyMs: 0, ...r }, at, this.truth.timeZone)]));
    const flows = this.flows();
    const { rates } = maxMinShares(capacities, flows.map(([, a]) => ({ uses: (a.operation as { uses: { resource: string; coefficient: number }[] }).uses })));
    return (this.rates = new Map(flows.map(([key], i) => [key, rates[i]!])));
  }

  /** Looking windows up by local time is slow, so the next change is kept until it is reached. */
  private nextRateChange(after: number): number {
    if (after >= this.change.from && after < this.change.at) return this.change.at;
    let at = Infinity;
    for (const [id, r] of Object.entries(this.truth.rates)) {
      if (r.limits.length === 0) continue;
      const step = linkRateSteps({ id, between: ["", ""], latencyMs: 0, ...r }, after, this.truth.timeZone, RATE_HORIZON_SECONDS)[1];
      if (step) at = Math.min(at, after + step.fromSeconds * 1000);
    }
    this.change = { from: after, at };
    return at;
  }

  /** When each flow would end, following rate changes until the first one ends. */
  private flowEnds(): Map<string, number> {
    const flows = this.flows();
    const ends = new Map<string, number>();
    if (flows.length === 0) return ends;
    const change = this.nextRateChange(this.state.instant);
    for (const [key, a] of flows) {
      const rate = this.rateOf(key);
      const end = rate > 0 ? Math.ceil(this.state.instant + (a.left / rate) * 1000) : Infinity;
      // A flow that would end after a change of rates is looked at again there.
      if (end <= change) ends.set(key, Math.max(end, this.state.instant));
    }
    if (ends.size > 0 || change === Infinity) return ends;
    const copy = new Simulation(this.truth, { ...this.state, ended: {}, active: structuredClone(this.state.active) });
    copy.advance(change + 1);
    return copy.flowEnds();
  }

  /** Lets model time pass; flows move at constant rates between changes. Never goes back. */
  advance(to: number): void {
    const { state } = this;
    while (state.instant < to) {
      const flows = this.flows();
      const change = flows.length > 0 ? this.nextRateChange(state.instant) : Infinity;
      const until = Math.min(to, change);
      for (const [key, a] of flows) a.left = Math.max(0, a.left - (this.rateOf(key) * (until - state.instant)) / 1000);
      state.instant = until;
      if (until === change) this.rates = undefined;
    }
  }

  /** What a flow would use and the world does not have: it would never end. */
  private unknownWay(operation: Extract<WorldOperation, { kind: "flow" }>): string | undefined {
    return operation.uses.find(({ resource }) => !(resource in this.truth.rates))?.resource;
  }

  private actSeconds(operation: Extract<WorldOperation, { kind: "act" }>): number {
    const { action } = operation;
    const subject = "machine" in action ? action.machine : "service" in action ? action.service : "name" in action ? action.name : action.to;
    const base = {
      snapshot: () => this.truth.acts.snapshot,
      prepare: () => this.truth.acts.prepare,
      "switch-name": () => this.truth.acts.switchName,
      tell: () => this.truth.acts.tell,
      boot: () => this.truth.machines[subject]?.boot ?? 60,
      check: () => this.truth.services[subject]?.answers ?? 30,
    }[action.type]();
    return base * Math.exp(this.truth.spread * normal(this.truth.seed, subject, action.type));
  }

  /** What an act will come to, judged at the instant it ends. */
  async judge(key: string, outlook: Outlook): Promise<WorldResult> {
    const operation = this.state.active[key]!.operation;
    if (operation.kind === "flow") {
      const way = this.unknownWay(operation);
      return way ? { ok: false, detail: `the stand-in world has no ${way}, so nothing moves over it` } : { ok: true, detail: "" };
    }
    if (operation.kind === "wake") return { ok: true, detail: "" };
    const { action } = operation;
    switch (action.type) {
      case "snapshot": {
        const known = action.machine in this.truth.machines;
        return { ok: known, detail: known ? "snapshot taken" : `the platform has no machine ${action.machine}`, data: { instant: this.state.instant } };
      }
      case "prepare":
      case "switch-name":
      case "tell":
        return { ok: true, detail: "" };
      case "boot": {
        const made = this.state.enclaves[action.enclave]?.machines[action.machine];
        if (!made) return { ok: false, detail: `${action.machine} has not been made in this enclave` };
        const starts = made.disks[0] !== undefined && (await outlook.startsFrom(action.enclave, action.machine, made.disks[0].id));
        return starts ? { ok: true, detail: `${action.machine} has started` } : { ok: false, detail: `${action.machine} found nothing to start from on its first disk` };
      }
      case "check":
        return this.answers(action.enclave, action.service, new Set());
    }
  }

  /** Whether a service answers from inside an enclave: its machines run there, its name leads to them, and so for all it truly needs. */
  private answers(enclave: string, service: string, asked: Set<string>): WorldResult {
    const truth = this.truth.services[service];
    const here = this.state.enclaves[enclave];
    if (!truth || !here) return { ok: false, detail: `nothing answers for ${service}` };
    asked.add(service);
    const off = truth.machines.find((m) => here.machines[m]?.state !== "running");
    if (off) return { ok: false, detail: `${service} does not answer: ${off} is not running in the enclave` };
    if (!here.names[truth.name]) return { ok: false, detail: `${truth.name} leads nowhere inside the enclave` };
    for (const need of truth.needs) {
      if (asked.has(need)) continue;
      const result = this.answers(enclave, need, asked);
      if (!result.ok) return { ok: false, detail: `${service} does not answer: it needs ${need}, and ${result.detail}` };
    }
    return { ok: true, detail: `${truth.name} answers from inside the enclave` };
  }

  private takeEffect(event: WorldEvent): void {
    const operation = this.state.active[event.key]?.operation;
    if (operation?.kind !== "act" || !event.result.ok) return;
    const { action } = operation;
    if (!("enclave" in action)) return;
    const enclave = (this.state.enclaves[action.enclave] ??= { machines: {}, names: {}, messages: [] });
    if (action.type === "prepare") enclave.machines[action.machine] = { host: action.host, state: "made", disks: action.disks };
    else if (action.type === "boot") enclave.machines[action.machine]!.state = "running";
    else if (action.type === "switch-name") enclave.names[action.name] = action.machines;
    else if (action.type === "tell") enclave.messages.push({ to: action.to, text: action.text, instant: event.instant });
  }

  enclaveReport(id: string): EnclaveReport | undefined {
    const e = this.state.enclaves[id];
    return (
      e && {
        id,
        machines: Object.entries(e.machines).map(([machine, m]) => ({ id: machine, host: m.host, state: m.state })),
        names: Object.entries(e.names).map(([name, machines]) => ({ name, machines })),
        messages: e.messages,
      }
    );
  }

  private forgetOldest(): void {
    const keep = Object.entries(this.state.ended).slice(-ENDED_KEPT);
    this.state.ended = Object.fromEntries(keep);
    this.endedCount = keep.length;
  }
}
