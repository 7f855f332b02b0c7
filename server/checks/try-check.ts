import { randomBytes } from "node:crypto";
import { request as httpRequest } from "node:http";
import { request as httpsRequest } from "node:https";
import { connect, type LookupFunction } from "node:net";
import type { Check } from "#core/estate/model.ts";
import { hostAndPort, lookUp, reasonOf } from "./setup.ts";

/** How one check went: good or not, in words, and in how many milliseconds of this clock. */
export type CheckTrial = { check: Check; good: boolean; words: string; milliseconds: number };

/** What a check is tried with. */
export type CheckMeans = {
  /** The name by which the service is found. */
  serviceName: string;
  /** Name server by which names are looked up; this machine's own where none is stated. */
  names: string | null;
  account: { name: string; password: string } | null;
  /** From inside a machine, by its platform; null where no platform speaks for it. */
  /** For how long an answer is waited for. */
  waitMs?: number;
  inside: ((kind: "outside" | "command", machine: string, to: string) => Promise<{ good: boolean; words: string }>) | null;
};

const WAIT_MS = 8_000;

/** Tries what proves that a service is up, really. Never throws for what it finds wrong. */
export async function tryCheck(check: Check, means: CheckMeans): Promise<CheckTrial> {
  const began = performance.now();
  const done = ({ good, words }: { good: boolean; words: string }): CheckTrial => ({ check, good, words, milliseconds: Math.round(performance.now() - began) });
  try {
    return done(await attempt(check, means));
  } catch (error) {
    return done({ good: false, words: `${check.to ?? means.serviceName} ${reasonOf(error)}` });
  }
}

type Outcome = { good: boolean; words: string };

function attempt(check: Check, means: CheckMeans): Promise<Outcome> | Outcome {
  switch (check.kind) {
    case "name":
      return tryName(check.to ?? means.serviceName, means);
    case "tcp":
      return check.to ? tryConnection(check.to, means) : { good: false, words: "no port is stated; write host:port into the check" };
    case "http":
      return tryAddress(check.to ?? `http://${means.serviceName}/`, means, null);
    case "sign-in":
      if (!means.account) return { good: false, words: "no account to sign in with has been given for this service" };
      return tryAddress(check.to ?? `http://${means.serviceName}/`, means, means.account);
    case "outside":
    case "command":
      if (!means.inside) return { good: false, words: "no connected platform speaks for this machine: connect it, then try again" };
      return means.inside(check.kind, check.machine!, check.to!);
  }
}

async function tryName(name: string, { names }: CheckMeans): Promise<Outcome> {
  if (!names) return { good: false, words: "no name server is stated; state one under the coordinator's own set-up" };
  const addresses = await lookUp(names, name);
  return addresses.length > 0 ? { good: true, words: `${name} is ${addresses.join(", ")}` } : { good: false, words: `${names} does not know ${name}` };
}

/** By the stated name server, as those who use the service do. */
const lookupBy =
  (names: string): LookupFunction =>
  (host, options, give) => {
    lookUp(names, host).then(
      (addresses) => {
        if (addresses.length === 0) give(Object.assign(new Error(`${names} does not know ${host}`), { code: "ENOTFOUND" }), "", 4);
        else if (options.all) give(null, addresses.map((address) => ({ address, family: 4 })));
        else give(null, addresses[0]!, 4);
      },
      (error: unknown) => give(error as NodeJS.ErrnoException, "", 4),
    );
  };
const lookup = ({ names }: CheckMeans): { lookup?: LookupFunction } => (names ? { lookup: lookupBy(names) } : {});

function tryConnection(to: string, means: CheckMeans): Promise<Outcome> {
  const { host, port } = hostAndPort(to);
  return new Promise((done, fail) => {
    const socket = connect({ host, port, timeout: means.waitMs ?? WAIT_MS, ...lookup(means) });
    socket.once("connect", () => {
      socket.destroy();
      done({ good: true, words: `${to} takes connections` });
    });
    socket.once("timeout", () => socket.destroy(Object.assign(new Error("does not answer"), { code: "ETIMEDOUT" })));
    socket.once("error", fail);
  });
}

/** An address answers with a status of success; one that wants a sign-in must also refuse a stranger. */
async function tryAddress(address: string, means: CheckMeans, account: CheckMeans["account"]): Promise<Outcome> {
  const status = await statusOf(address, means, account);
  if (status >= 200 && status < 300) {
    if (!account) return { good: true, words: `${address} answers ${status}` };
    // A stranger, not the account with a wrong password: that could lock it.
    const stranger = await statusOf(address, means, { name: `nobody-${randomBytes(4).toString("hex")}`, password: randomBytes(8).toString("hex") });
    return stranger === 401 || stranger === 403 ? { good: true, words: `${address} lets ${account.name} in, and no stranger` } : { good: false, words: `${address} lets ${account.name} in, and a stranger too (${stranger}): this proves nothing` };
  }
  if (account && (status === 401 || status === 403)) return { good: false, words: `${address} refuses ${account.name} (${status}): check the account and the password` };
  return { good: false, words: `${address} answers ${status}` };
}

function statusOf(address: string, means: CheckMeans, account: CheckMeans["account"]): Promise<number> {
  const url = new URL(address);
  return new Promise((done, fail) => {
    const ask = (url.protocol === "https:" ? httpsRequest : httpRequest)(url, { timeout: means.waitMs ?? WAIT_MS, agent: false, ...lookup(means), ...(account ? { auth: `${account.name}:${account.password}` } : {}) }, (reply) => {
      reply.resume();
      reply.once("end", () => done(reply.statusCode ?? 0));
      reply.once("error", fail);
    });
    ask.once("timeout", () => ask.destroy(Object.assign(new Error("does not answer"), { code: "ETIMEDOUT" })));
    ask.once("error", fail);
    ask.end();
  });
}
