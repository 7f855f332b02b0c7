import { randomUUID } from "node:crypto";
import { hostname } from "node:os";
import type pg from "pg";

const NAME = "coordinator";
const LOCK = 7_419_203;
const HEARTBEAT_MS = 2_000;
/** A leader that has not moved for this long is frozen: its connection is ended, which frees the lock. */
const FROZEN_AFTER_SECONDS = 10;

/**
 * Who of several server processes carries out work. An advisory lock on a connection of its own
 * falls free at once when a process dies; the heartbeat catches one that is frozen. The fence
 * grows with every change, so that a leader of old is recognised.
 */
export class Leadership {
  private timer: NodeJS.Timeout | undefined;
  private constructor(
    readonly client: pg.PoolClient,
    readonly fence: number,
    private readonly lost: (error: Error) => void,
  ) {
    client.on("error", lost);
    this.timer = setInterval(() => void this.beat(), HEARTBEAT_MS);
  }

  static async tryToLead(pool: pg.Pool, lost: (error: Error) => void): Promise<Leadership | undefined> {
    const client = await pool.connect();
    try {
      const { rows } = await client.query<{ mine: boolean; backend: number }>("select pg_try_advisory_lock($1) as mine, pg_backend_pid() as backend", [LOCK]);
      if (!rows[0]!.mine) {
        await client.query(
          "select pg_terminate_backend(backend::int) from lease where name = $1 and heartbeat_at < now() - make_interval(secs => $2) and backend in (select pid from pg_stat_activity)",
          [NAME, FROZEN_AFTER_SECONDS],
        );
        client.release();
        return undefined;
      }
      const lease = await client.query<{ fence: string }>(
        `insert into lease (name, holder, fence, backend, heartbeat_at) values ($1, $2, 1, $3, now())
         on conflict (name) do update set holder = $2, fence = lease.fence + 1, backend = $3, heartbeat_at = now() returning fence`,
        [NAME, `${hostname()}/${process.pid}/${randomUUID()}`, rows[0]!.backend],
      );
      return new Leadership(client, Number(lease.rows[0]!.fence), lost);
    } catch (error) {
      client.release(error as Error);
      throw error;
    }
  }

  private async beat(): Promise<void> {
    try {
      const { rowCount } = await this.client.query("update lease set heartbeat_at = now() where name = $1 and fence = $2", [NAME, this.fence]);
      if (rowCount !== 1) this.lost(new Error("another process leads"));
    } catch (error) {
      this.lost(error as Error);
    }
  }

  /** Ends the connection, and the lock with it. */
  give(): void {
    clearInterval(this.timer);
    this.client.removeAllListeners("notification");
    this.client.release(new Error("leadership given up"));
  }
}
