import { dirname, join } from "node:path";
import { type Connection, connect } from "./db/connect.ts";
import { replayHistory, scheduledCopies } from "./jobs/ask-for-copies.ts";
import { copyMachine } from "./jobs/copy-machine.ts";
import { Coordinator } from "./jobs/coordinator.ts";
import { discoverPlatform } from "./jobs/discover-platform.ts";
import { bringPathBack, protectPath } from "./jobs/protect-path.ts";
import { StandinWorld } from "./platforms/standin.ts";
import { carryOutRun } from "./runs/carry-out.ts";
import { Sealer } from "./secrets.ts";
import { StoreBook } from "./stores/store-book.ts";

export type Settings = { databaseUrl: string; worldAddress: string; worldToken: string; keyFile: string; relaxed?: boolean };

/** Everything that stands behind the pages, put together once a process. */
export type Application = { connection: Connection; world: StandinWorld; stores: StoreBook; sealer: Sealer; coordinator: Coordinator };

export async function openApplication(settings: Settings, log: (line: string) => void): Promise<Application> {
  const connection = connect(settings.databaseUrl, settings.relaxed ? { relaxed: true } : {});
  const { db } = connection;
  const world = new StandinWorld(settings.worldAddress, settings.worldToken);
  const sealer = await Sealer.fromFile(settings.keyFile);
  const stores = new StoreBook(db, sealer, { durability: settings.relaxed ? "relaxed" : "each" }, join(dirname(settings.keyFile), "known"));
  const tools = { db, platform: world, stores };
  const coordinator = new Coordinator({
    connection,
    clock: world,
    runners: { copy: copyMachine(tools), history: replayHistory(db), run: carryOutRun(tools), protect: protectPath(tools), "bring-back": bringPathBack(tools), discover: discoverPlatform(db, sealer) },
    onSchedule: scheduledCopies(db),
    onLead: async () => stores.forget(),
    log,
  });
  return { connection, world, stores, sealer, coordinator };
}

export async function closeApplication(app: Application): Promise<void> {
  await app.coordinator.stop();
  await app.stores.remember();
  await app.connection.pool.end();
}
