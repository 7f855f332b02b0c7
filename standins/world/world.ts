import { Journal } from "./journal.ts";
import type { NextReply, NextRequest, Pace, WorldOperation, WorldStatus } from "./protocol.ts";
import { beginning, type Outlook, type Simulation, type WorldRecord } from "./simulation.ts";
import type { Truth } from "./truth.ts";

/** How far ahead of what was shown the log runs, in wall seconds, so that looking at the clock seldom writes. */
const SHOWN_AHEAD_SECONDS = 10;
const LONGEST_SLEEP_MS = 200;
/** Nobody has asked for events for this long: no coordinator is connected, and nothing is hurried for it. */
const FORSAKEN_AFTER_MS = 1_500;

/** The running world: drives the simulation by the wall's clock and keeps its log. */
export class World {
  private anchor = { wall: performance.now(), model: 0 };
  private cancelPlan: () => void = () => undefined;
  private readonly wakeups = new Set<() => void>();
  private turn: Promise<unknown> = Promise.resolve();
  private stopped = false;
  private listeners = 0;
  private connected = false;
  private forsaken: NodeJS.Timeout | undefined;

  private constructor(
    private readonly simulation: Simulation,
    private readonly journal: Journal,
    private readonly outlook: Outlook,
  ) {
    this.reanchor();
  }

  static async open(folder: string, truth: Truth, outlook: Outlook, relaxed = false): Promise<World> {
    const { journal, simulation } = await Journal.open(folder, relaxed, truth, beginning(truth));
    const world = new World(simulation, journal, outlook);
    world.plan();
    return world;
  }

  async close(): Promise<void> {
    this.stopped = true;
    this.cancelPlan();
    clearTimeout(this.forsaken);
    for (const wake of this.wakeups) wake();
    await this.turn;
    await this.journal.commit(this.simulation);
    await this.journal.close();
  }

  operations(operations: readonly WorldOperation[]): Promise<{ instant: number }> {
    return this.inTurn(async () => {
      const instant = this.now();
      this.begin(operations, instant);
      return this.settle(instant);
    });
  }

  private begin(operations: readonly WorldOperation[], instant: number): void {
    let told = false;
    for (const operation of operations)
      if (!this.simulation.knows(operation.key)) this.record({ type: "operation", instant, operation });
      else if (this.simulation.isOver(operation.key)) {
        // The world stands while it tells again, and not at an earlier instant than now.
        if (!this.simulation.held) this.simulation.advance(instant);
        this.record({ type: "again", key: operation.key });
        told = true;
      }
    if (told) this.wakeListeners();
  }

  cancel(keys: readonly string[]): Promise<{ instant: number }> {
    return this.inTurn(async () => {
      const instant = this.now();
      this.record({ type: "cancel", instant, keys: [...keys] });
      return this.settle(instant);
    });
  }

  setPace(pace: Pace): Promise<{ instant: number }> {
    return this.inTurn(async () => {
      const instant = this.now();
      this.simulation.advance(instant);
      this.record({ type: "pace", pace });
      return this.settle(instant);
    });
  }

  /** While somebody's hand is waited for, time goes at the wall's pace. */
  setHandWaits(waits: boolean): Promise<{ instant: number }> {
    return this.inTurn(async () => {
      const instant = this.now();
      if (this.simulation.state.handWaits !== waits) {
        this.simulation.advance(instant);
        this.record({ type: "hand", waits });
      }
      return this.settle(instant);
    });
  }

  discard(enclave: string): Promise<{ instant: number }> {
    return this.inTurn(async () => {
      this.record({ type: "discard", enclave });
      return this.settle(this.now());
    });
  }

  /** Acknowledges events and waits for the next ones, until `gone` tells that nobody listens any more. */
  async next(request: NextRequest, gone?: AbortSignal): Promise<NextReply> {
    this.listeners++;
    clearTimeout(this.forsaken);
    try {
      if (!this.connected) await this.setConnected(true);
      return await this.listen(request, gone);
    } finally {
      this.listeners--;
      if (this.listeners === 0 && !this.stopped) this.forsaken = setTimeout(() => void this.setConnected(false), FORSAKEN_AFTER_MS);
    }
  }

  private setConnected(connected: boolean): Promise<unknown> {
    return this.inTurn(async () => {
      if (this.stopped || (!connected && this.listeners > 0)) return;
      const instant = this.now();
      if (!this.simulation.held) this.simulation.advance(instant);
      this.connected = connected;
      await this.settle(instant);
    });
  }

  private async listen({ begin = [], acknowledge, waitMs }: NextRequest, gone?: AbortSignal): Promise<NextReply> {
    // One turn for both: the world stands until it knows what its events have led to.
    if (begin.length + acknowledge.length > 0)
      await this.inTurn(async () => {
        const instant = this.now();
        this.begin(begin, instant);
        if (acknowledge.length > 0) this.record({ type: "acknowledge", seqs: acknowledge });
        return this.settle(instant);
      });
    const until = performance.now() + waitMs;
    while (!this.simulation.held && !this.stopped && !gone?.aborted) {
      const left = until - performance.now();
      if (left <= 0) break;
      await new Promise<void>((done) => {
        const wake = (): void => {
          clearTimeout(timeout);
          this.wakeups.delete(wake);
          gone?.removeEventListener("abort", wake);
          done();
        };
        const timeout = setTimeout(wake, left);
        this.wakeups.add(wake);
        gone?.addEventListener("abort", wake);
      });
    }
    return { instant: this.shownNow(), events: [...this.simulation.state.pending] };
  }

  status(): WorldStatus {
    const { state } = this.simulation;
    const instant = this.shownNow();
    if (!this.simulation.held) this.simulation.advance(instant);
    const flows = Object.entries(state.active).flatMap(([key, a]) =>
      a.operation.kind === "flow" ? [{ key, bytes: a.operation.bytes, left: a.left, rate: this.simulation.rateOf(key) }] : [],
    );
    return { instant, pace: state.pace, effective: this.effective(), held: this.simulation.held, flows };
  }

  enclave(id: string): ReturnType<Simulation["enclaveReport"]> {
    return this.simulation.enclaveReport(id);
  }

  private effective(): number | "events" {
    const { pace, handWaits } = this.simulation.state;
    if (handWaits || pace.mode === "wall" || !this.connected) return 1;
    if (pace.mode === "always-hurried") return pace.factor;
    if (pace.mode === "events") return this.simulation.busy ? "events" : 1;
    return this.simulation.hurries ? pace.factor : 1;
  }

  /** Model time by the wall's clock, never past the next event and never moving while the world stands. */
  private now(): number {
    const { state } = this.simulation;
    if (this.simulation.held) return state.instant;
    const effective = this.effective();
    const next = this.simulation.next()?.instant ?? Infinity;
    if (effective === "events") return state.instant;
    const wanted = Math.floor(this.anchor.model + (performance.now() - this.anchor.wall) * effective);
    return Math.max(state.instant, Math.min(wanted, next));
  }

  private shownNow(): number {
    const now = this.now();
    if (now > this.journal.shown) {
      const effective = this.effective();
      this.journal.shown = now + SHOWN_AHEAD_SECONDS * 1000 * (effective === "events" ? 1 : effective);
      this.journal.append({ type: "shown", instant: this.journal.shown });
      void this.journal.commit(this.simulation);
    }
    return now;
  }

  private record(record: WorldRecord): void {
    this.simulation.apply(record);
    this.journal.append(record);
  }

  private async settle(instant: number): Promise<{ instant: number }> {
    this.reanchor();
    this.plan();
    await this.journal.commit(this.simulation);
    return { instant };
  }

  private reanchor(): void {
    this.anchor = { wall: performance.now(), model: this.simulation.state.instant };
  }

  /** Sets the timer for the next event, or looks again soon. */
  private plan(): void {
    this.cancelPlan();
    if (this.stopped || this.simulation.held) return;
    const next = this.simulation.next();
    if (!next) return;
    const effective = this.effective();
    const sleep = effective === "events" ? 0 : Math.min(LONGEST_SLEEP_MS, Math.max(0, (next.instant - this.now()) / effective));
    const tick = (): void => void this.inTurn(() => this.tick());
    if (sleep > 0) {
      const timer = setTimeout(tick, sleep);
      this.cancelPlan = () => clearTimeout(timer);
    } else {
      // A timer would sleep a millisecond at least, at every event of a past that goes from event to event.
      const soon = setImmediate(tick);
      this.cancelPlan = () => clearImmediate(soon);
    }
  }

  private async tick(): Promise<void> {
    if (this.simulation.held || this.stopped) return;
    const next = this.simulation.next();
    const due = next && (this.effective() === "events" || this.now() >= next.instant);
    if (!due) return this.plan();
    this.simulation.advance(next.instant);
    for (const key of next.keys) {
      const result = await this.simulation.judge(key, this.outlook);
      this.record({ type: "event", event: { seq: this.simulation.state.seq + 1, instant: next.instant, key, result } });
    }
    await this.settle(next.instant);
    this.wakeListeners();
  }

  private wakeListeners(): void {
    for (const wake of [...this.wakeups]) wake();
  }

  private inTurn<T>(act: () => Promise<T>): Promise<T> {
    const result = this.turn.then(act);
    this.turn = result.catch(() => undefined);
    return result;
  }
}
