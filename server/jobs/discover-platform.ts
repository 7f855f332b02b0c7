import { and, eq } from "drizzle-orm";
import { countWords } from "#core/wording/amounts.ts";
import { EngineError } from "#engine/errors.ts";
import type { Database } from "../db/connect.ts";
import { platformConnections } from "../db/schema.ts";
import { replaceFlows } from "../db/queries/flows.ts";
import { type ManagerAccess, ManagerError } from "../platforms/manager.ts";
import { openManager } from "../platforms/open-manager.ts";
import type { Sealer } from "../secrets.ts";
import type { Runner } from "./coordinator.ts";

/** Lists all that runs on a connected platform and keeps it, for the difference to be looked at. */
export const discoverPlatform =
  (db: Database, sealer: Sealer): Runner =>
  async (flow, work, { progress }) => {
    if (work.subject.kind !== "discover") throw new TypeError("not a discovery");
    const words = await discoverNow(db, sealer, work.organisationId, work.subject.platform, flow.now, (note) => progress({ note }));
    progress({ note: words });
  };

/** Lists and keeps; gives what was found in words. Throws `EngineError` with a sentence. */
export async function discoverNow(db: Database, sealer: Sealer, organisationId: string, id: string, at: number, progress: (words: string) => void): Promise<string> {
  const mine = and(eq(platformConnections.organisationId, organisationId), eq(platformConnections.id, id));
  const [connection] = await db.select().from(platformConnections).where(mine);
  if (!connection) throw new EngineError("missing", `The platform ${id} is not connected any more`);
  try {
    const manager = openManager(sealer.open<ManagerAccess>(connection.sealed));
    const inventory = await manager.inventory(progress);
    const flows = await manager.flows(at, progress);
    const known = {
      hosts: [...new Set([...connection.known.hosts, ...inventory.hosts.map((h) => h.id)])],
      machines: [...new Set([...connection.known.machines, ...inventory.machines.map((m) => m.id)])],
    };
    await db.update(platformConnections).set({ inventory, known, discoveredAt: at }).where(mine);
    await replaceFlows(db, organisationId, id, flows);
    return `${countWords(inventory.machines.length, "machine")} on ${countWords(inventory.hosts.length, "host")} listed${flows.length > 0 ? `, ${countWords(flows.length, "connection")} between machines` : ""}`;
  } catch (error) {
    if (error instanceof ManagerError) throw new EngineError("missing", `${id} could not be discovered: ${error.message}`);
    throw error;
  }
}
