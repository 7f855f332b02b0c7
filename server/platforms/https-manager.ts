import { Agent, request, type RequestOptions } from "node:https";
import type { Duplex } from "node:stream";
import { connect, type ConnectionOptions } from "node:tls";
import { array, boolean, number, object, string } from "yup";
import type { DiscoveredHost, DiscoveredMachine, DiscoveredNetwork, FoundLanding, Inventory } from "#core/estate/discovery.ts";
import { gatherFlows, type ObservedFlow, PROTOCOLS } from "#core/estate/flow.ts";
import { CAPABILITIES, FIRMWARES } from "#core/estate/model.ts";
import { countWords, durationWords } from "#core/wording/amounts.ts";
import { type InsideKind, type ManagerAccess, ManagerError, type PlatformManager, type Trial, TRIALS } from "./manager.ts";

const WAIT_MS = 8_000;
const MOST_REPLY_BYTES = 16 * 1024 * 1024;
const MOST_MACHINES = 100_000;
const RIGHT = "inventory";
/** Clocks that differ by more falsify objectives of a minute. */
const CLOCK_SECONDS = 5;

type About = { family: string; version: string; can: Inventory["can"]; converts: string[]; time: string };
const id = string().matches(/^[a-z][a-z0-9-]*$/, ({ value }) => `${String(value).slice(0, 40)} is no id of small letters, digits and hyphens`).required();
const bytes = number().positive().required();
const about = object({ family: id, version: string().required(), can: array(string().oneOf(CAPABILITIES).required()).required(), converts: array(id).required(), time: string().required() });
const hosts = array(object({ id, name: string().required(), cores: number().integer().positive().required(), memory: bytes, pools: array(object({ id, size: bytes })).required() })).required();
const networks = array(object({ id, name: string().required(), range: string().required() })).required();
const machines = object({
  total: number().required(),
  next: string().nullable().defined(),
  machines: array(
    object({
      id,
      name: string().required(),
      host: id,
      cores: number().integer().positive().required(),
      memory: bytes,
      disks: array(object({ id, size: bytes, used: number().min(0) })).required(),
      firmware: string().oneOf(FIRMWARES),
      attached: array(object({ network: id, address: string() })).required(),
      running: boolean().required(),
      agent: object({ version: string().required(), answers: boolean().required() }).default(undefined),
    }),
  ).required(),
});

const landing = object({
  groups: array(string().required()).required(),
  accounts: array(object({ name: string().required(), rights: array(string().required()).required() })).required(),
  media: array(string().required()).required(),
  reaches: array(string().required()).required(),
  free: array(object({ host: id, pool: string().required(), bytes: number().min(0).required() })).required(),
});
const flows = object({
  next: number().nullable().defined(),
  flows: array(object({ from: id, to: id, protocol: string().oneOf(PROTOCOLS).required(), port: number().integer().min(0).max(65_535).required(), connections: number().integer().positive().required(), secondsAgo: number().min(0).required() })).required(),
});
const outcome = object({ good: boolean().required(), words: string().required() });
const MOST_FLOWS = 2_000_000;

/** A platform manager behind HTTPS whose certificate is held to the fingerprint that was confirmed (SHA-256). */
export class HttpsManager implements PlatformManager {
  private readonly agent: Agent;

  constructor(private readonly access: Extract<ManagerAccess, { kind: "manager" }>) {
    this.agent = new PinnedAgent(access.fingerprint);
  }

  async try(): Promise<Trial[]> {
    const done: Trial[] = [];
    const good = (what: Trial["what"], words: string): void => void done.push({ what, outcome: "good", words });
    try {
      const asked = Date.now();
      const { time, family, version } = await this.about();
      const answered = Date.now();
      good("reach", `${family} ${version} answers at ${this.access.address}`);
      good("certificate", "its certificate is the one that was confirmed");
      good("account", `${this.access.account} may sign in`);
      const { rights } = await this.ask("account", object({ rights: array(string().required()).required() }));
      if (!rights.includes(RIGHT)) throw new ManagerError("right", `the account ${this.access.account} has no right to ${RIGHT}; have it granted there`);
      good("right", `it may list what runs there`);
      // The answer's instant is taken for the middle between asking and hearing.
      const off = (Date.parse(time) - (asked + answered) / 2) / 1000;
      if (!(Math.abs(off) <= CLOCK_SECONDS)) throw new ManagerError("clock", `its clock is ${durationWords(Math.abs(off))} ${off > 0 ? "ahead" : "behind"}: a wrong clock falsifies every RPO; set it by a time server`);
      good("clock", "its clock agrees with this one");
    } catch (error) {
      if (!(error instanceof ManagerError)) throw error;
      for (const what of TRIALS.slice(0, TRIALS.indexOf(error.what))) if (!done.some((t) => t.what === what)) good(what, what === "reach" ? `something answers at ${this.access.address}` : "its certificate is the one that was confirmed");
      done.push({ what: error.what, outcome: "wrong", words: error.message, ...(error.shown ? { shown: error.shown } : {}) });
      for (const what of TRIALS.slice(TRIALS.indexOf(error.what) + 1)) done.push({ what, outcome: "untried", words: "could not be tried" });
    }
    return done;
  }

  async inventory(progress: (words: string) => void): Promise<Inventory> {
    const { family, version, can, converts } = await this.about();
    const found: DiscoveredMachine[] = [];
    const listed = { hosts: (await this.ask("hosts", hosts)) as DiscoveredHost[], networks: (await this.ask("networks", networks)) as DiscoveredNetwork[] };
    for (let after: string | null = ""; after !== null; ) {
      const page = (await this.ask(`machines?after=${encodeURIComponent(after)}`, machines)) as { machines: DiscoveredMachine[]; total: number; next: string | null };
      found.push(...page.machines);
      // A list that does not come to its end would be read for ever.
      if (found.length > MOST_MACHINES || (page.next !== null && page.next <= after)) throw new ManagerError("reach", `its list of machines does not end (${countWords(found.length, "machine")} read)`);
      after = page.next;
      progress(`${found.length} of ${countWords(page.total, "machine")} listed`);
    }
    const ready = (await this.ask("landing", landing.nullable(), { mayLack: true })) as FoundLanding | null;
    return { family, version, can, converts, ...listed, machines: found, ...(ready ? { landing: ready } : {}) };
  }

  async flows(now: number, progress: (words: string) => void): Promise<ObservedFlow[]> {
    const seen: ObservedFlow[] = [];
    for (let from: number | null = 0; from !== null; ) {
      const page = (await this.ask(`flows?from=${from}`, flows.nullable(), { mayLack: true })) as { flows: (Omit<ObservedFlow, "lastSeen"> & { secondsAgo: number })[]; next: number | null } | null;
      if (!page) return [];
      for (const { secondsAgo, ...flow } of page.flows) seen.push({ ...flow, lastSeen: Math.round(now - secondsAgo * 1000) });
      if (seen.length > MOST_FLOWS || (page.next !== null && page.next <= from)) throw new ManagerError("reach", `its list of connections does not end (${seen.length} read)`);
      from = page.next;
      progress(`${countWords(seen.length, "connection")} listed`);
    }
    return gatherFlows(seen);
  }

  async inside(kind: InsideKind, machine: string, to: string): Promise<{ good: boolean; words: string }> {
    return this.ask(`machines/${encodeURIComponent(machine)}/inside`, outcome, { body: { kind, to }, right: "run-inside" });
  }

  private about(): Promise<About> {
    return this.ask("about", about) as Promise<About>;
  }

  private async ask<T>(path: string, schema: { validate(value: unknown, options: { strict: boolean; stripUnknown: boolean }): Promise<T> }, { mayLack = false, body, right = RIGHT }: { mayLack?: boolean; body?: unknown; right?: string } = {}): Promise<T> {
    const { status, text } = await this.send(path, body);
    // An older manager does not tell of everything.
    if (status === 404 && mayLack) return null as T;
    if (status === 401) throw new ManagerError("account", `the account ${this.access.account} is refused: check the name and the password`);
    if (status === 403) throw new ManagerError("right", `the account ${this.access.account} has no right to ${right}; have it granted there`);
    if (status !== 200) throw new ManagerError("reach", `${this.access.address} answers ${status} to ${path.split("?")[0]}: is this the address of a platform?`);
    try {
      return await schema.validate(JSON.parse(text), { strict: true, stripUnknown: true });
    } catch (error) {
      throw new ManagerError("reach", `${this.access.address} answers ${path.split("?")[0]} with something else than expected (${(error as Error).message.slice(0, 120)})`);
    }
  }

  private send(path: string, body?: unknown): Promise<{ status: number; text: string }> {
    return new Promise((done, fail) => {
      const sorry = (error: Error): void => fail(error instanceof ManagerError ? error : unreachable(this.access.address, error));
      const asking = request(`${this.access.address.replace(/\/$/, "")}/${path}`, { agent: this.agent, timeout: WAIT_MS, method: body === undefined ? "GET" : "POST", headers: { accept: "application/json", ...(body === undefined ? {} : { "content-type": "application/json" }), authorization: `Basic ${Buffer.from(`${this.access.account}:${this.access.password}`).toString("base64")}` } }, (reply) => {
        let text = "";
        reply.setEncoding("utf8");
        reply.on("data", (some: string) => {
          text += some;
          if (text.length > MOST_REPLY_BYTES) asking.destroy(new ManagerError("reach", `${this.access.address} sends more than 16 MiB at once`));
        });
        reply.on("end", () => done({ status: reply.statusCode ?? 0, text }));
        reply.on("error", sorry);
      });
      asking.on("timeout", () => asking.destroy(new ManagerError("reach", `${this.access.address} does not answer within ${WAIT_MS / 1000} s`)));
      asking.on("error", sorry);
      asking.end(body === undefined ? undefined : JSON.stringify(body));
    });
  }
}

/** Gives out a connection only once its certificate has been held to the fingerprint: nothing is sent before. */
class PinnedAgent extends Agent {
  constructor(private readonly fingerprint: string) {
    super({ keepAlive: true, maxSockets: 2 });
  }

  override createConnection(options: RequestOptions, given?: (error: Error | null, stream: Duplex) => void): undefined {
    // The fingerprint that a person confirmed stands for the chain of authorities.
    const socket = connect({ ...(options as ConnectionOptions), rejectUnauthorized: false });
    let told = false;
    const tell = (error: Error | null): void => {
      if (told) return;
      told = true;
      if (error) socket.destroy();
      given?.(error, socket);
    };
    socket.once("error", tell);
    socket.setTimeout(WAIT_MS, () => tell(new ManagerError("reach", `${String(options.host)} does not answer within ${WAIT_MS / 1000} s`)));
    socket.once("secureConnect", () => {
      socket.setTimeout(0);
      const shown = socket.getPeerCertificate().fingerprint256;
      if (shown === this.fingerprint) return tell(null);
      tell(new ManagerError("certificate", this.fingerprint === "" ? `it shows a certificate with the fingerprint ${shown}; compare it with what its keeper reads out, and confirm it` : `it shows another certificate (${shown}) than the one that was confirmed: it was renewed, or somebody stands in between. Ask its keeper, then confirm the new one`, shown));
    });
    return undefined;
  }
}

function unreachable(address: string, error: Error & { code?: string }): ManagerError {
  const why: Record<string, string> = {
    ECONNREFUSED: "the connection is refused: nothing listens there",
    ENOTFOUND: "the name is not known",
    EHOSTUNREACH: "no way leads there",
    ENETUNREACH: "no way leads there",
    ETIMEDOUT: "nothing answers",
    EPROTO: "what listens there does not speak HTTPS",
    ECONNRESET: "the connection is cut",
    ERR_SSL_WRONG_VERSION_NUMBER: "what listens there does not speak HTTPS",
  };
  return new ManagerError("reach", `${address} cannot be reached: ${why[error.code ?? ""] ?? error.message}`);
}
