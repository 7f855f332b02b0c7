import { readFile } from "node:fs/promises";
import { join } from "node:path";
import { DiskContents } from "./disk-contents.ts";
import { StandinDisks } from "./disks.ts";
import { startsFrom, worldServer } from "./server.ts";
import { readTruth } from "./truth.ts";
import { World } from "./world.ts";

/** Environment: WORLD_FOLDER, WORLD_TRUTH, WORLD_PORT, WORLD_TOKEN; WORLD_RELAXED=1 leaves syncing to the system. */
const { WORLD_FOLDER, WORLD_TRUTH, WORLD_PORT, WORLD_TOKEN, WORLD_RELAXED } = process.env;
if (!WORLD_FOLDER || !WORLD_TRUTH || !WORLD_PORT || !WORLD_TOKEN) throw new Error("the world needs WORLD_FOLDER, WORLD_TRUTH, WORLD_PORT and WORLD_TOKEN");

const truth = readTruth(await readFile(WORLD_TRUTH, "utf8"));
const contents = new DiskContents(truth);
const disks = new StandinDisks(join(WORLD_FOLDER, "disks"));
const world = await World.open(WORLD_FOLDER, truth, { startsFrom: startsFrom(contents, disks) }, WORLD_RELAXED === "1");
const server = worldServer(world, truth, contents, disks, WORLD_TOKEN);
server.keepAliveTimeout = 60_000;
server.listen(Number(WORLD_PORT), "127.0.0.1", () => process.send?.("ready"));

const stop = async (): Promise<void> => {
  server.close();
  server.closeAllConnections();
  await world.close();
  process.exit(0);
};
process.on("SIGTERM", () => void stop());
process.on("SIGINT", () => void stop());
process.on("disconnect", () => void stop());
