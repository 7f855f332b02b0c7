import type { Request, Response } from "express";
import { createChannel, createSession } from "better-sse";
import type { FlowState } from "#core/copies/under-way.ts";
import type { Application } from "./application.ts";
import { flowStates, WorkOwners } from "./jobs/under-way.ts";
import { CHANGE_CHANNEL } from "./jobs/coordinator.ts";

const CLOCK_EVERY_MS = 1_000;
const CHANGES_AT_MOST_EVERY_MS = 250;

type Listener = { organisationId: string };

/** Tells open pages of changes and of model time, over server-sent events. */
export class Live {
  private readonly channel = createChannel<Record<string, unknown>, Listener>();
  private readonly owners: WorkOwners;
  private readonly timer: NodeJS.Timeout;
  private told: NodeJS.Timeout | undefined;
  private stopped = false;
  private endListening: (() => void) | undefined;

  constructor(private readonly app: Application) {
    this.owners = new WorkOwners(app.connection.db);
    this.timer = setInterval(() => void this.tick(), CLOCK_EVERY_MS);
    void this.listen();
  }

  /** A page hears of its own organisation's transfers only. */
  async connect(request: Request, response: Response, organisationId: string): Promise<void> {
    this.channel.register(await createSession(request, response, { keepAlive: 20_000, state: { organisationId } }));
  }

  stop(): void {
    this.stopped = true;
    clearInterval(this.timer);
    clearTimeout(this.told);
    // The listening connection is handed back: the pool waits for it before it ends.
    this.endListening?.();
  }

  private async listen(): Promise<void> {
    while (!this.stopped) {
      try {
        const client = await this.app.connection.pool.connect();
        await new Promise<void>((gone) => {
          this.endListening = gone;
          client.on("error", () => gone());
          client.on("end", () => gone());
          client.on("notification", () => this.changed());
          client.query(`listen ${CHANGE_CHANNEL}`).catch(() => gone());
        });
        client.release(true);
      } catch {
        // The database is away; pages say so, and listening is tried again.
      }
      this.changed();
      await new Promise((done) => setTimeout(done, 1_000));
    }
  }

  private changed(): void {
    this.told ??= setTimeout(() => {
      this.told = undefined;
      this.channel.broadcast({}, "changed");
    }, CHANGES_AT_MOST_EVERY_MS);
  }

  private async tick(): Promise<void> {
    if (this.channel.sessionCount === 0) return;
    const status = await this.app.world.status().catch(() => undefined);
    if (!status) return;
    const { instant, effective, held } = status;
    const flows = await this.owners.byOrganisation(flowStates(status.flows)).catch(() => new Map<string, FlowState[]>());
    for (const organisationId of new Set(this.channel.activeSessions.map((s) => s.state.organisationId)))
      this.channel.broadcast({ instant, effective, held, flows: flows.get(organisationId) ?? [] }, "clock", { filter: (session) => session.state.organisationId === organisationId });
  }
}
