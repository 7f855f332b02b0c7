import { readFile } from "node:fs/promises";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { temporaryFolder } from "#engine/tests/temporary.ts";
import { DiskContents } from "#standins/world/disk-contents.ts";
import { StandinDisks } from "#standins/world/disks.ts";
import { startsFrom, worldServer } from "#standins/world/server.ts";
import { readTruth } from "#standins/world/truth.ts";
import { World } from "#standins/world/world.ts";
import { StandinWorld } from "./standin.ts";
import { clockConformance, platformConformance } from "./tests/conformance.ts";

async function serve() {
  const folder = await temporaryFolder();
  const truth = readTruth(await readFile("server/tests/world.yaml", "utf8"));
  const contents = new DiskContents(truth);
  const disks = new StandinDisks(join(folder, "disks"));
  const world = await World.open(folder, truth, { startsFrom: startsFrom(contents, disks) }, true);
  const server = worldServer(world, truth, contents, disks, "the-token");
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const close = async (): Promise<void> => {
    server.closeAllConnections();
    server.close();
    await world.close();
  };
  return { address, close };
}

platformConformance("the stand-in world", async () => {
  const { address, close } = await serve();
  return { platform: new StandinWorld(address, "the-token"), stranger: new StandinWorld(address, "guessed"), close };
});

clockConformance("the stand-in world", async () => {
  const { address, close } = await serve();
  const clock = new StandinWorld(address, "the-token");
  return { clock, hurry: () => clock.setPace({ mode: "events", factor: 60 }), close };
});

describe("a platform that does not answer", () => {
  it("is told apart from one that refuses, in a sentence", async () => {
    await expect(new StandinWorld("http://127.0.0.1:9", "x").machines()).rejects.toMatchObject({ kind: "unreachable", message: expect.stringContaining("work waits") as string });
  });
});
