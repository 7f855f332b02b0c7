import { createSocket } from "node:dgram";
import { Resolver } from "node:dns/promises";
import { createTransport } from "nodemailer";
import { durationWords } from "#core/wording/amounts.ts";

/** What the coordinator itself leans on, and what bites when it is wrong: names, the clock, mail. */
export const SETUP_KINDS = ["names", "clock", "mail"] as const;
export type SetupKind = (typeof SETUP_KINDS)[number];
export type SetupTrial = { good: boolean; words: string };

const WAIT_MS = 5_000;
/** As on platforms: a clock that is off by more falsifies objectives of a minute. */
const CLOCK_SECONDS = 5;

export const hostAndPort = (address: string): { host: string; port: number } => {
  const [, host = "", port = ""] = /^\[?([^\]]+?)\]?:(\d+)$/.exec(address) ?? [];
  return { host, port: Number(port) };
};

/** Tries what an address is for; never throws for what it finds wrong. `names` are those that should be known. */
export async function trySetup(what: SetupKind, address: string, names: readonly string[], waitMs = WAIT_MS): Promise<SetupTrial> {
  try {
    return await TRIES[what](address, names, waitMs);
  } catch (error) {
    return { good: false, words: `${address} ${reasonOf(error)}` };
  }
}

const TRIES: Record<SetupKind, (address: string, names: readonly string[], waitMs: number) => Promise<SetupTrial>> = {
  names: async (address, names) => {
    const unknown: string[] = [];
    for (const name of names) if ((await lookUp(address, name)).length === 0) unknown.push(name);
    return unknown.length === 0 ? { good: true, words: `${address} answers for all ${names.length} names of services` } : { good: false, words: `${address} does not know ${unknown.slice(0, 4).join(", ")}${unknown.length > 4 ? ` and ${unknown.length - 4} more` : ""}: add them there` };
  },
  clock: async (address, _names, waitMs) => {
    const off = await clockOffset(address, waitMs);
    return Math.abs(off) <= CLOCK_SECONDS
      ? { good: true, words: `this clock agrees with ${address} to ${Math.round(Math.abs(off) * 1000)} ms` }
      : { good: false, words: `this clock is ${durationWords(Math.abs(off))} ${off > 0 ? "behind" : "ahead of"} ${address}: every RPO is falsified by as much; have it set by that server` };
  },
  mail: async (address, _names, waitMs) => {
    const { host, port } = hostAndPort(address);
    const transport = createTransport({ host, port, connectionTimeout: waitMs, greetingTimeout: waitMs, socketTimeout: waitMs });
    try {
      await transport.verify();
      return { good: true, words: `${address} takes mail` };
    } finally {
      transport.close();
    }
  },
};

/** Addresses that a name server gives for a name; none where it knows none. */
export async function lookUp(server: string, name: string): Promise<string[]> {
  const resolver = new Resolver({ timeout: 2_000, tries: 1 });
  const { host, port } = hostAndPort(server);
  resolver.setServers([host.includes(":") ? `[${host}]:${port}` : `${host}:${port}`]);
  try {
    return await resolver.resolve4(name);
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === "ENOTFOUND" || code === "ENODATA") return [];
    throw error;
  }
}

/** Seconds between the eras of NTP and Unix. */
const NTP_ERA = 2_208_988_800;

/**
 * Seconds by which a time server is ahead of this clock: ((T2 − T1) + (T3 − T4)) / 2 of one exchange
 * (RFC 5905, section 8).
 */
export function clockOffset(address: string, waitMs = WAIT_MS): Promise<number> {
  const { host, port } = hostAndPort(address);
  return new Promise((done, fail) => {
    const socket = createSocket(host.includes(":") ? "udp6" : "udp4");
    const timer = setTimeout(() => end(() => fail(new Error(`does not answer within ${durationWords(waitMs / 1000)}`))), waitMs);
    const end = (then: () => void): void => {
      clearTimeout(timer);
      socket.close();
      then();
    };
    let sent = 0;
    socket.once("error", (error) => end(() => fail(error)));
    socket.once("message", (reply) => {
      const heard = Date.now() / 1000;
      const at = (offset: number): number => reply.readUInt32BE(offset) - NTP_ERA + reply.readUInt32BE(offset + 4) / 2 ** 32;
      end(() => (reply.length < 48 || (reply[0]! & 7) !== 4 ? fail(new Error("answers with something else than the time")) : done((at(32) - sent + (at(40) - heard)) / 2)));
    });
    const question = Buffer.alloc(48);
    // Version 4, mode client.
    question[0] = 0x23;
    sent = Date.now() / 1000;
    socket.send(question, port, host);
  });
}

/** What went wrong on the way, as the end of a sentence that begins with the address. */
export function reasonOf(error: unknown): string {
  const { code, cause, message } = error as Error & { code?: string };
  const known: Record<string, string> = {
    ECONNREFUSED: "refuses the connection: nothing listens there",
    ENOTFOUND: "cannot be found: the name is not known",
    ETIMEOUT: "does not answer",
    ETIMEDOUT: "does not answer",
    EHOSTUNREACH: "cannot be reached: no way leads there",
    ENETUNREACH: "cannot be reached: no way leads there",
    ECONNRESET: "cuts the connection",
    ESOCKET: "refuses the connection: nothing listens there",
  };
  const found = code && known[code];
  if (found) return found;
  return cause ? reasonOf(cause) : message.slice(0, 160);
}
