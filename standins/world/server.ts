import { createServer, type Server } from "node:http";
import express, { type NextFunction, type Request, type Response } from "express";
import { type MachineOnPlatform, type NextRequest, PACE_MODES, type Pace, WORLD_SCALE, type WorldOperation } from "./protocol.ts";
import type { DiskContents } from "./disk-contents.ts";
import type { StandinDisks } from "./disks.ts";
import type { Truth } from "./truth.ts";
import type { World } from "./world.ts";

/** The world's door: JSON over HTTP on loopback, for whoever has the token. */
export function worldServer(world: World, truth: Truth, contents: DiskContents, disks: StandinDisks, token: string): Server {
  const app = express();
  app.use((request: Request, response: Response, next: NextFunction) => {
    if (request.headers.authorization === `Bearer ${token}`) next();
    else response.status(401).json({ error: "the world does not know this token" });
  });
  app.use(express.json({ limit: "16mb" }));
  app.use(express.raw({ limit: "64mb", type: "application/octet-stream" }));

  app.post("/operations", async (q, r) => void r.json(await world.operations(q.body as WorldOperation[])));
  app.post("/cancel", async (q, r) => void r.json(await world.cancel(q.body as string[])));
  app.post("/next", async (q, r) => {
    const gone = new AbortController();
    r.on("close", () => gone.abort());
    r.json(await world.next(q.body as NextRequest, gone.signal));
  });
  app.post("/hand", async (q, r) => void r.json(await world.setHandWaits((q.body as { waits: boolean }).waits)));
  app.post("/pace", async (q, r) => {
    const pace = q.body as Pace;
    if (!PACE_MODES.includes(pace.mode) || !(pace.factor >= 1 && pace.factor <= 3600)) return void r.status(400).json({ error: "a pace is one of the modes with a factor of 1 to 3600" });
    r.json(await world.setPace(pace));
  });
  app.get("/status", (_q, r) => {
    const status = world.status();
    r.json(status);
  });
  app.get("/machines", (_q, r) => {
    const machines: MachineOnPlatform[] = Object.values(truth.machines).map((m) => ({ id: m.id, host: m.host, disks: m.disks.map((d) => ({ id: d.id, bytes: d.bytes })), state: "running" }));
    r.json(machines);
  });
  const disk = (q: Request, r: Response): { machine: string; disk: NonNullable<ReturnType<DiskContents["disk"]>>["disk"] } | undefined => {
    const { machine, disk: id } = q.params as { machine: string; disk: string };
    const found = contents.disk(machine, id);
    if (!found) r.status(404).json({ error: `the platform has no disk ${id} of a machine ${machine}` });
    return found && { machine, disk: found.disk };
  };
  app.get("/machines/:machine/disks/:disk/changed", (q, r) => {
    const found = disk(q, r);
    if (!found) return;
    const { at, since } = q.query as { at: string; since?: string };
    r.json({ blocks: contents.changed(found.machine, found.disk, since === undefined ? null : Number(since), Number(at)) });
  });
  app.post("/machines/:machine/disks/:disk/read", (q, r) => {
    const found = disk(q, r);
    if (!found) return;
    const { at, blocks } = q.body as { at: number; blocks: number[] };
    r.type("application/octet-stream").send(contents.read(found.machine, found.disk, at, blocks));
  });
  app.put("/enclaves/:enclave/disks/:machine/:disk", async (q, r) => {
    const { enclave, machine, disk: id } = q.params;
    const blocks = String(q.headers["x-blocks"]).split(",").map(Number);
    await disks.write(enclave, machine, id, blocks, q.body as Buffer);
    r.status(204).end();
  });
  app.post("/enclaves/:enclave/disks/:machine/:disk/read", async (q, r) => {
    const { enclave, machine, disk: id } = q.params;
    r.type("application/octet-stream").send(await disks.read(enclave, machine, id, (q.body as { blocks: number[] }).blocks));
  });
  app.get("/enclaves/:enclave", (q, r) => {
    const report = world.enclave(q.params.enclave);
    if (report) r.json(report);
    else r.status(404).json({ error: `there is no enclave ${q.params.enclave}` });
  });
  app.delete("/enclaves/:enclave", async (q, r) => {
    await disks.discard(q.params.enclave);
    r.json(await world.discard(q.params.enclave));
  });
  app.use((error: Error, _q: Request, r: Response, _next: NextFunction) => {
    r.status(error instanceof RangeError ? 400 : 500).json({ error: error.message });
  });
  return createServer(app);
}

export const startsFrom =
  (contents: DiskContents, disks: StandinDisks) =>
  async (enclave: string, machine: string, disk: string): Promise<boolean> =>
    contents.starts(machine, (await disks.read(enclave, machine, disk, [0])).subarray(0, WORLD_SCALE.realBlock));
