import { randomUUID } from "node:crypto";
import { and, eq, inArray, isNull, sql } from "drizzle-orm";
import { EngineError, isEngineError } from "#engine/errors.ts";
import type { WorldEvent, WorldOperation, WorldResult } from "#standins/world/protocol.ts";
import { type Connection, isDatabaseDown } from "../db/connect.ts";
import { gates, runSteps, schedules, works } from "../db/schema.ts";
import type { Clock } from "../platforms/clock.ts";
import { WorldError } from "../platforms/standin.ts";
import { Busy } from "./busy.ts";
import { type Asked, Flow, type FlowHost } from "./flow.ts";
import { Leadership } from "./leadership.ts";
import type { WorkProgress } from "./work.ts";

export type WorkRow = typeof works.$inferSelect;
export type Runner = (flow: Flow, work: WorkRow, tools: WorkTools) => Promise<void>;

/** What a runner may use of the coordinator. */
export type WorkTools = {
  /** Replaces what is shown as progress; written with the next flush. */
  progress(progress: WorkProgress): void;
  /** Begins work items that were just inserted. */
  beginNew(): Promise<void>;
};

export type CoordinatorOptions = {
  connection: Connection;
  clock: Clock;
  runners: Record<WorkRow["kind"], Runner>;
  /** Copies that a schedule makes due; gives the instant of the next ones, or null. */
  onSchedule: (policyId: string, organisationId: string, instant: number) => Promise<number | null>;
  /** Called once a leadership begins, before any work: what was remembered of stores is read anew. */
  onLead: () => Promise<void>;
  log: (line: string) => void;
};

/** The channel on which actions tell the leader that there is something to do, and the leader tells pages that something changed. */
export const WORK_CHANNEL = "ypostasis_work";
export const CHANGE_CHANNEL = "ypostasis_change";

const POLL_MS = 15_000;
const RETRY_MS = 1_000;
/** Work whose bytes move unpaced (real folders) may take minutes: it is not waited for. */
const UNPACED: readonly WorkRow["kind"][] = ["protect", "bring-back", "discover"];
const OPEN_STATES = ["waiting", "running", "stopping"] as const;

/** The key of an operation in the world; `under-way.ts` reads it back. */
const LOOK_AROUND = "look-around:";
const workKey = (workId: string, key: string): string => `work:${workId}/${key}`;
const scheduleKey = (organisationId: string, policyId: string, instant: number): string => `schedule:${organisationId}/${policyId}/${instant}`;

/** Carries out work: hears the world's events one after the other and lets every flow react while the world stands still. */
export class Coordinator implements FlowHost {
  readonly busy = new Busy();
  private readonly flows = new Map<string, Flow>();
  private asked: { flow: Flow; key: string; operation: Asked | null }[] = [];
  /** Noted in the database and not yet told to the world. */
  private toBegin: WorldOperation[] = [];
  private progress = new Map<string, WorkProgress>();
  private handWaits: boolean | undefined;
  private turn: Promise<unknown> = Promise.resolve();
  private leadership: Leadership | undefined;
  private failed: ((error: unknown) => void) | undefined;
  private running = false;
  private loop: Promise<void> | undefined;

  constructor(private readonly options: CoordinatorOptions) {}

  start(): void {
    this.running = true;
    this.loop = this.keepLeading();
  }

  async stop(): Promise<void> {
    this.running = false;
    this.failed?.(new Error("the coordinator is stopping"));
    await this.loop;
  }

  get leads(): boolean {
    return this.leadership !== undefined;
  }

  ask(flow: Flow, key: string, operation: Asked | null): void {
    this.asked.push({ flow, key, operation });
  }

  private async keepLeading(): Promise<void> {
    while (this.running) {
      try {
        await this.lead();
      } catch (error) {
        if (this.running) this.options.log(`work waits: ${error instanceof Error ? error.message : String(error)}`);
      }
      if (this.running) await new Promise((done) => setTimeout(done, RETRY_MS));
    }
  }

  private async lead(): Promise<void> {
    const failure = new Promise<never>((_, reject) => (this.failed = reject));
    failure.catch(() => undefined);
    const leadership = await Leadership.tryToLead(this.options.connection.pool, (error) => this.failed?.(error));
    if (!leadership) return;
    this.leadership = leadership;
    try {
      await Promise.race([failure, this.carryOn(leadership)]);
    } finally {
      this.leadership = undefined;
      const stop = new EngineError("stopped", "this process no longer leads", { silent: true });
      for (const flow of this.flows.values()) flow.stop(stop);
      await this.turn.catch(() => undefined);
      await this.busy.quiet();
      this.flows.clear();
      this.asked = [];
      this.toBegin = [];
      this.progress.clear();
      leadership.give();
    }
  }

  private async carryOn({ client }: Leadership): Promise<void> {
    await this.options.onLead();
    this.handWaits = undefined;
    client.on("notification", () => void this.askForStandstill().catch((error: unknown) => this.failed?.(error)));
    await client.query(`listen ${WORK_CHANNEL}`);
    // What was under way is resumed before anything is heard: an event may be what it waits for.
    await this.inTurn(async () => this.lookAround(await this.fromWorld(() => this.options.clock.now()), ["running", "stopping"]));
    await this.askForStandstill();
    let acknowledge: number[] = [];
    while (this.running) {
      const begin = this.takeToBegin();
      const { events } = await this.fromWorld(() => this.options.clock.next({ begin, acknowledge, waitMs: POLL_MS }));
      if (events.length > 0) await this.inTurn(() => this.hear(events));
      acknowledge = events.map((event) => event.seq);
    }
  }

  /** The world being away is no reason to give up the lead: it is asked again until it answers. */
  private async fromWorld<T>(act: () => Promise<T>): Promise<T> {
    for (;;) {
      try {
        return await act();
      } catch (error) {
        if (!(error instanceof WorldError) || error.kind !== "unreachable" || !this.running || !this.leadership) throw error;
        await new Promise((done) => setTimeout(done, RETRY_MS));
      }
    }
  }

  private async hear(events: readonly WorldEvent[]): Promise<void> {
    const mine = events.flatMap((event) => {
      const match = /^work:([0-9a-f-]{36})\/(.*)$/s.exec(event.key);
      return match ? [{ event, workId: match[1]!, key: match[2]! }] : [];
    });
    for (const { event, workId, key } of mine) this.flows.get(workId)?.arrive(key, { instant: event.instant, result: event.result });
    let scheduled = false;
    const look = events.find((event) => event.key.startsWith(LOOK_AROUND));
    if (look) await this.lookAround(look.instant);
    for (const event of events) {
      const match = /^schedule:([^/]+)\/([^/]+)\/(\d+)$/.exec(event.key);
      if (!match) continue;
      await this.options.onSchedule(match[2]!, match[1]!, event.instant);
      await this.beginWaiting(event.instant);
      scheduled = true;
    }
    await this.flush(mine.map(({ event, workId, key }) => ({ work_id: workId, key, instant: event.instant, result: event.result })));
    if (scheduled) await this.keepSchedules();
  }

  /**
   * What people ask for is begun at an event of its own, while the world stands: so that a kill
   * between noting a beginning and asking the world for it moves no clock.
   */
  private async askForStandstill(): Promise<void> {
    await this.fromWorld(() => this.options.clock.begin([{ key: `${LOOK_AROUND}${randomUUID()}`, kind: "wake", at: 0, foreground: false }]));
  }

  /** Looks at what people have asked for since: new work, stops, ticks, schedules. */
  private async lookAround(now: number, states: readonly WorkRow["state"][] = OPEN_STATES): Promise<void> {
    const { db } = this.options.connection;
    await this.beginWaiting(now, states);
    const stopping = await db.select({ id: works.id }).from(works).where(eq(works.state, "stopping"));
    for (const { id } of stopping) {
      const flow = this.flows.get(id);
      if (!flow) continue;
      const keys = flow.waitsAt().map((key) => workKey(id, key));
      flow.stop(new EngineError("stopped", "stopped by hand"));
      await this.fromWorld(() => this.options.clock.cancel(keys));
    }
    const runFlows = [...this.flows.keys()];
    if (runFlows.length > 0) {
      const ticked = await db.select().from(runSteps).where(and(inArray(runSteps.runId, runFlows), eq(runSteps.state, "hand"), sql`${runSteps.tickedBy} is not null`));
      for (const step of ticked) {
        const key = `${step.stepId}/hand`;
        const answer = { instant: now, result: { ok: true, detail: `ticked by ${step.tickedBy}` } };
        await db.update(gates).set(answer).where(and(eq(gates.workId, step.runId), eq(gates.key, key), isNull(gates.instant)));
        this.flows.get(step.runId)?.arrive(key, answer);
      }
    }
    await this.flush();
    await this.keepSchedules();
  }

  private async beginWaiting(now: number, states: readonly WorkRow["state"][] = OPEN_STATES): Promise<void> {
    const { db } = this.options.connection;
    const open = await db.select().from(works).where(inArray(works.state, [...states]));
    const fresh = open.filter((work) => !this.flows.has(work.id));
    if (fresh.length === 0) return;
    const known = await db.select().from(gates).where(inArray(gates.workId, fresh.map((w) => w.id)));
    const starting = fresh.filter((w) => w.state === "waiting").map((w) => w.id);
    if (starting.length > 0) await db.update(works).set({ state: "running", beganAt: sql`coalesce(${works.beganAt}, ${now})`, failure: null }).where(inArray(works.id, starting));
    for (const work of fresh) {
      const answers = new Map(known.filter((g) => g.workId === work.id).map((g) => [g.key, g.instant === null ? null : { instant: g.instant, result: g.result! }]));
      const flow = new Flow(work.id, work.foreground, answers, this, now);
      this.flows.set(work.id, flow);
      const counted = !UNPACED.includes(work.kind);
      if (counted) this.busy.enter();
      const begun = { ...work, beganAt: work.beganAt ?? now };
      if (work.state === "stopping") flow.stop(new EngineError("stopped", "stopped by hand"));
      void this.carryOut(flow, begun)
        .catch((error: unknown) => this.failed?.(error))
        .finally(() => counted && this.busy.leave());
    }
  }

  private async carryOut(flow: Flow, work: WorkRow): Promise<void> {
    const tools: WorkTools = {
      progress: (progress) => {
        this.progress.set(work.id, progress);
        if (UNPACED.includes(work.kind)) void this.inTurn(() => this.flush()).catch((error: unknown) => this.failed?.(error));
      },
      beginNew: () => this.beginWaiting(flow.now),
    };
    let state: WorkRow["state"] = "done";
    let failure: string | null = null;
    try {
      await this.options.runners[work.kind](flow, work, tools);
    } catch (error) {
      if (isEngineError(error, "stopped") && error.data["silent"]) return;
      // What stands in the database is still true; the work is taken up again when it is back.
      if (isDatabaseDown(error)) throw error;
      state = isEngineError(error, "stopped") ? "stopped" : "failed";
      failure = state === "stopped" ? null : error instanceof Error ? error.message : String(error);
      if (state === "failed") this.options.log(`work ${work.kind} ${work.id} failed: ${failure}`);
    }
    const { db } = this.options.connection;
    const progress = this.progress.get(work.id);
    this.progress.delete(work.id);
    await db.update(works).set({ state, failure, endedAt: flow.now, ...(progress ? { progress } : {}) }).where(eq(works.id, work.id));
    if (state === "done") await db.delete(gates).where(eq(gates.workId, work.id));
    this.flows.delete(work.id);
    await db.execute(sql`select pg_notify(${CHANGE_CHANNEL}, 'work')`);
  }

  /**
   * When all is quiet: writes down what came of gates and what is asked of the world, in one
   * statement, then has the world told. Events whose answers were not noted before a kill are told
   * again, for they are acknowledged after this.
   */
  private async flush(answers: readonly { work_id: string; key: string; instant: number; result: WorldResult }[] = []): Promise<void> {
    await this.busy.quiet();
    const asked = this.asked.map(({ flow, key, operation }) => ({ work_id: flow.workId, key, operation: operation && operationOf(flow, key, operation) }));
    const progress = [...this.progress].map(([id, shown]) => ({ id, progress: shown }));
    this.asked = [];
    this.progress = new Map();
    if (answers.length + asked.length + progress.length > 0)
      await this.options.connection.db.execute(sql`
        with answered as (
          update gate set instant = a.instant, result = a.result from jsonb_to_recordset(${JSON.stringify(answers)}::jsonb) as a(work_id uuid, key text, instant bigint, result jsonb)
          where gate.work_id = a.work_id and gate.key = a.key and gate.instant is null
        ), noted as (
          insert into gate (work_id, key, operation) select work_id, key, operation from jsonb_to_recordset(${JSON.stringify(asked)}::jsonb) as q(work_id uuid, key text, operation jsonb)
          on conflict do nothing
        ), shown as (
          update work set progress = p.progress from jsonb_to_recordset(${JSON.stringify(progress)}::jsonb) as p(id uuid, progress jsonb) where work.id = p.id
        )
        select pg_notify(${CHANGE_CHANNEL}, 'progress')`);
    this.toBegin.push(...asked.flatMap(({ operation }) => operation ?? []));
    const hands = [...this.flows.values()].some((flow) => flow.waitsAt().some((key) => key.endsWith("/hand")));
    if (hands !== this.handWaits) await this.fromWorld(() => this.options.clock.setHandWaits(hands));
    this.handWaits = hands;
  }

  /** The next wake-up of every running schedule stands in the world; asking twice is asking once. */
  private async keepSchedules(): Promise<void> {
    const rows = await this.options.connection.db.select().from(schedules).where(eq(schedules.running, true));
    const wakes: WorldOperation[] = rows.flatMap((s) => (s.nextAt === null ? [] : [{ key: scheduleKey(s.organisationId, s.policyId, s.nextAt), kind: "wake" as const, at: s.nextAt, foreground: false }]));
    this.toBegin.push(...wakes);
  }

  private takeToBegin(): WorldOperation[] {
    const operations = this.toBegin;
    this.toBegin = [];
    return operations;
  }

  private inTurn<T>(act: () => Promise<T>): Promise<T> {
    const result = this.turn.then(act);
    this.turn = result.catch(() => undefined);
    return result;
  }
}

function operationOf(flow: Flow, key: string, operation: Asked): WorldOperation {
  return { ...operation, key: workKey(flow.workId, key), foreground: flow.foreground };
}
