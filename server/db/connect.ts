import { drizzle, type NodePgDatabase } from "drizzle-orm/node-postgres";
import { migrate } from "drizzle-orm/node-postgres/migrator";
import { resolve } from "node:path";
import pg from "pg";
import { EngineError } from "#engine/errors.ts";
import * as schema from "./schema.ts";

export type Database = NodePgDatabase<typeof schema>;
export type Connection = { db: Database; pool: pg.Pool };

/** `relaxed` lets the database acknowledge before its log is on disk: only for data that can be made again. */
export function connect(url: string, options: { relaxed?: boolean } = {}): Connection {
  const pool = new pg.Pool({ connectionString: url, ...(options.relaxed ? { options: "-c synchronous_commit=off" } : {}), max: 12, connectionTimeoutMillis: 4_000, idleTimeoutMillis: 30_000, keepAlive: true });
  // A broken idle connection is replaced at the next query; without a listener it would end the process.
  pool.on("error", () => undefined);
  // The same holds for one that breaks while it is in use: its query fails, which is enough.
  pool.on("connect", (client) => void client.on("error", () => undefined));
  return { db: drizzle(pool, { schema }), pool };
}

export async function migrateToNewest({ db }: Connection): Promise<void> {
  await migrate(db, { migrationsFolder: resolve("server/db/migrations") });
}

const DOWN_CODES = new Set(["ECONNREFUSED", "ECONNRESET", "EPIPE", "ETIMEDOUT", "57P01", "57P02", "57P03", "08006", "08001", "53300"]);

/** Whether an error means that the database does not answer, rather than that a query was wrong. */
export function isDatabaseDown(error: unknown): boolean {
  // A store or platform that is away fails with the same codes beneath; that is its own affair.
  if (error instanceof EngineError || (error as Error | undefined)?.name === "WorldError") return false;
  for (let e: unknown = error, depth = 0; e && depth < 5; e = (e as { cause?: unknown }).cause, depth++) {
    const { code, message = "" } = e as { code?: string; message?: string };
    if (code !== undefined && DOWN_CODES.has(code)) return true;
    if (/Connection terminated|timeout exceeded when trying to connect|Client has encountered a connection error/.test(message)) return true;
  }
  return false;
}
