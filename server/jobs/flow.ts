import { EngineError } from "#engine/errors.ts";
import type { WorldOperation, WorldResult } from "#standins/world/protocol.ts";
import type { Busy } from "./busy.ts";

export type GateAnswer = { instant: number; result: WorldResult };
export type Asked = WorldOperation extends infer O ? (O extends WorldOperation ? Omit<O, "key" | "foreground"> : never) : never;

export interface FlowHost {
  readonly busy: Busy;
  /** Notes that a flow waits at a gate; `operation` null means for a person's hand. Sent when all is quiet. */
  ask(flow: Flow, key: string, operation: Asked | null): void;
}

type Waiter = { resolve: (answer: GateAnswer) => void; reject: (error: unknown) => void };

/**
 * One work item under way. It is an ordinary asynchronous function that waits at named gates for
 * the world (or a person); what came of a gate is remembered in the database, so that after a
 * process died the function is run again from its beginning and passes the gates it had passed.
 * Everything it does between two gates must therefore be safe to repeat.
 */
export class Flow {
  private readonly waiters = new Map<string, Waiter>();
  private stopped: EngineError | undefined;
  /** The instant of what this flow last heard of. */
  now: number;

  constructor(
    readonly workId: string,
    readonly foreground: boolean,
    private readonly answers: Map<string, GateAnswer | null>,
    private readonly host: FlowHost,
    now: number,
  ) {
    this.now = now;
  }

  gate(key: string, operation: Asked): Promise<GateAnswer> {
    return this.wait(key, operation);
  }

  /** Waits until some bytes have moved; gives the instant. Throws `missing` where they cannot. */
  async moved(key: string, bytes: number, uses: { resource: string; coefficient: number }[]): Promise<number> {
    const { instant, result } = await this.gate(key, { kind: "flow", bytes, uses });
    if (!result.ok) throw new EngineError("missing", `Bytes cannot move here: ${result.detail}`);
    return instant;
  }

  hand(key: string): Promise<GateAnswer> {
    return this.wait(key, null);
  }

  /** Runs branches side by side; the caller waits without being busy itself. */
  async all(branches: readonly (() => Promise<void>)[]): Promise<void> {
    if (branches.length === 0) return;
    let left = branches.length;
    const failures: unknown[] = [];
    // The caller's place is handed to the branches, and the last one's back to the caller.
    this.host.busy.enter(left - 1);
    await Promise.all(
      branches.map(async (branch) => {
        try {
          await branch();
        } catch (error) {
          failures.push(error);
        }
        if (--left > 0) this.host.busy.leave();
      }),
    );
    if (failures.length > 0) throw failures[0];
  }

  arrive(key: string, answer: GateAnswer): void {
    this.answers.set(key, answer);
    this.now = Math.max(this.now, answer.instant);
    const waiter = this.waiters.get(key);
    if (!waiter) return;
    this.waiters.delete(key);
    this.host.busy.enter();
    waiter.resolve(answer);
  }

  waitsAt(): string[] {
    return [...this.waiters.keys()];
  }

  /** Ends every wait, now and later, with the given error. */
  stop(error: EngineError): void {
    this.stopped = error;
    for (const [key, waiter] of this.waiters) {
      this.waiters.delete(key);
      this.host.busy.enter();
      waiter.reject(error);
    }
  }

  private async wait(key: string, operation: Asked | null): Promise<GateAnswer> {
    if (this.stopped) throw this.stopped;
    const known = this.answers.get(key);
    if (known) return known;
    const answer = new Promise<GateAnswer>((resolve, reject) => this.waiters.set(key, { resolve, reject }));
    this.host.ask(this, key, operation);
    this.host.busy.leave();
    return answer;
  }
}
