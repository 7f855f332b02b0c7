import { readFile } from "node:fs/promises";
import { join } from "node:path";
import type { Estate } from "#core/estate/model.ts";
import { readEstate } from "#formats/estate/read-estate.ts";
import { type Connection, connect, migrateToNewest } from "#server/db/connect.ts";
import { changeEstate } from "#server/estate/change-estate.ts";
import { removeCluster, startCluster } from "../scripts/postgres.ts";

/** Ten minutes past an hour that the demo's links limit by day. */
export const AT = Date.UTC(2026, 10, 24, 10, 20);

/** Runs a bench on a database of its own that holds the demo's estate. */
export async function withDemoEstate(data: string, bench: (connection: Connection, estate: Estate) => Promise<void>): Promise<void> {
  const connection = connect((await startCluster(data)).url, { relaxed: true });
  try {
    await migrateToNewest(connection);
    const { estate } = readEstate(await readFile(join("demo", "estate.yaml"), "utf8"));
    await changeEstate(connection.db, estate, { personName: "bench", reason: "bench", modelAt: AT });
    await bench(connection, estate);
  } finally {
    await connection.pool.end();
    removeCluster(data);
  }
}
