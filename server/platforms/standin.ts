import type { EnclaveReport, MachineOnPlatform, NextReply, NextRequest, Pace, WorldOperation, WorldStatus } from "#standins/world/protocol.ts";
import type { Clock } from "./clock.ts";
import type { Platform } from "./platform.ts";

export class WorldError extends Error {
  override readonly name = "WorldError";
  constructor(
    readonly kind: "unreachable" | "refused",
    message: string,
    options?: { cause?: unknown },
  ) {
    super(message, options);
  }
}

/** The stand-in platform and the world's clock, over HTTP. */
export class StandinWorld implements Platform, Clock {
  constructor(
    private readonly address: string,
    private readonly token: string,
  ) {}

  async now(): Promise<number> {
    return (await this.status()).instant;
  }

  async begin(operations: readonly WorldOperation[]): Promise<void> {
    if (operations.length > 0) await this.json("POST", "/operations", operations);
  }

  async cancel(keys: readonly string[]): Promise<void> {
    if (keys.length > 0) await this.json("POST", "/cancel", keys);
  }

  next(request: NextRequest): Promise<NextReply> {
    return this.json("POST", "/next", request);
  }

  status(): Promise<WorldStatus> {
    return this.json("GET", "/status");
  }

  async setPace(pace: Pace): Promise<void> {
    await this.json("POST", "/pace", pace);
  }

  async setHandWaits(waits: boolean): Promise<void> {
    await this.json("POST", "/hand", { waits });
  }

  machines(): Promise<MachineOnPlatform[]> {
    return this.json("GET", "/machines");
  }

  async changedBlocks(machine: string, disk: string, since: number | null, at: number): Promise<number[]> {
    const query = new URLSearchParams({ at: String(at), ...(since === null ? {} : { since: String(since) }) });
    return (await this.json<{ blocks: number[] }>("GET", `/machines/${machine}/disks/${disk}/changed?${query}`)).blocks;
  }

  readBlocks(machine: string, disk: string, at: number, blocks: readonly number[]): Promise<Buffer> {
    return this.bytes("POST", `/machines/${machine}/disks/${disk}/read`, { at, blocks });
  }

  async writeDisk(enclave: string, machine: string, disk: string, blocks: readonly number[], bytes: Buffer): Promise<void> {
    const headers = { "content-type": "application/octet-stream", "x-blocks": blocks.join(",") };
    await this.ask("PUT", `/enclaves/${enclave}/disks/${machine}/${disk}`, { headers, body: new Uint8Array(bytes) });
  }

  readDisk(enclave: string, machine: string, disk: string, blocks: readonly number[]): Promise<Buffer> {
    return this.bytes("POST", `/enclaves/${enclave}/disks/${machine}/${disk}/read`, { blocks });
  }

  async enclave(id: string): Promise<EnclaveReport | null> {
    const reply = await this.ask("GET", `/enclaves/${id}`, {}, [404]);
    return reply.status === 404 ? null : ((await reply.json()) as EnclaveReport);
  }

  async discard(enclave: string): Promise<void> {
    await this.ask("DELETE", `/enclaves/${enclave}`, {});
  }

  private async json<T>(method: string, path: string, body?: unknown): Promise<T> {
    const reply = await this.ask(method, path, body === undefined ? {} : { headers: { "content-type": "application/json" }, body: JSON.stringify(body) });
    return (await reply.json()) as T;
  }

  private async bytes(method: string, path: string, body: unknown): Promise<Buffer> {
    const reply = await this.ask(method, path, { headers: { "content-type": "application/json" }, body: JSON.stringify(body) });
    return Buffer.from(await reply.arrayBuffer());
  }

  private async ask(method: string, path: string, init: { headers?: Record<string, string>; body?: BodyInit }, accept: readonly number[] = []): Promise<Response> {
    const send = (): Promise<Response> => fetch(this.address + path, { method, body: init.body ?? null, headers: { authorization: `Bearer ${this.token}`, ...init.headers } });
    let reply: Response;
    try {
      // A connection kept open may be closed from the other side just when it is used again; what only looks may look twice.
      reply = await (method === "GET" ? send().catch(send) : send());
    } catch (cause) {
      throw new WorldError("unreachable", "The platform does not answer; work waits until it is back", { cause });
    }
    if (!reply.ok && !accept.includes(reply.status)) {
      const { error = reply.statusText } = (await reply.json().catch(() => ({}))) as { error?: string };
      throw new WorldError("refused", `The platform refuses ${method} ${path.split("?")[0]}: ${error}`);
    }
    return reply;
  }
}
