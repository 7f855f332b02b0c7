import { createHash, timingSafeEqual } from "node:crypto";
import { createServer, type Server } from "node:https";
import express, { type Request, type Response } from "express";
import type { InsideMachine, ManagedPlatform } from "./inventory-file.ts";

export type ManagerAccount = { password: string; rights: string[] };
export type ManagerOptions = { key: string; cert: string; platforms: ReadonlyMap<string, ManagedPlatform>; accounts: ReadonlyMap<string, ManagerAccount> };

/** Machines in one page at most. */
const PAGE = 500;
const FLOW_PAGE = 20_000;
const RIGHT_TO_LIST = "inventory";
const RIGHT_INSIDE = "run-inside";

/**
 * Stand-in platform managers behind HTTPS: what runs where, for accounts with the right to know.
 * `/name/about` and `/name/account` need any account, the lists need the right `inventory`, trying from inside a machine `run-inside`.
 */
export function managerServer({ key, cert, platforms, accounts }: ManagerOptions): Server {
  const app = express();
  const account = (q: Request): { name: string; rights: string[] } | null => {
    const [name = "", ...rest] = Buffer.from(/^Basic (.+)$/.exec(q.headers.authorization ?? "")?.[1] ?? "", "base64").toString("utf8").split(":");
    const found = accounts.get(name);
    return found && same(found.password, rest.join(":")) ? { name, rights: found.rights } : null;
  };
  const asked = (q: Request, r: Response, right: string | null): { platform: ManagedPlatform; name: string; rights: string[] } | null => {
    const who = account(q);
    const platform = platforms.get(String(q.params["platform"]));
    if (!who) r.status(401).json({ error: "this account and password are not known here" });
    else if (!platform) r.status(404).json({ error: `there is no platform ${String(q.params["platform"])} here` });
    else if (right && !who.rights.includes(right)) r.status(403).json({ error: `the account ${who.name} has no right to ${right}` });
    else return { platform, ...who };
    return null;
  };
  app.get("/:platform/about", (q, r) => {
    const found = asked(q, r, null);
    if (!found) return;
    const { family, version, can, converts, clockOff } = found.platform;
    r.json({ family, version, can, converts, time: new Date(Date.now() + clockOff * 1000).toISOString() });
  });
  app.get("/:platform/account", (q, r) => {
    const found = asked(q, r, null);
    if (found) r.json({ name: found.name, rights: found.rights });
  });
  for (const list of ["hosts", "networks"] as const)
    app.get(`/:platform/${list}`, (q, r) => {
      const found = asked(q, r, RIGHT_TO_LIST);
      if (found) r.json(found.platform[list]);
    });
  app.get("/:platform/machines", (q, r) => {
    const found = asked(q, r, RIGHT_TO_LIST);
    if (!found) return;
    const after = typeof q.query["after"] === "string" ? q.query["after"] : "";
    const from = found.platform.machines.findIndex((m) => m.id > after);
    const page = from < 0 ? [] : found.platform.machines.slice(from, from + PAGE);
    r.json({ machines: page, total: found.platform.machines.length, next: from >= 0 && from + PAGE < found.platform.machines.length ? page.at(-1)!.id : null });
  });
  app.get("/:platform/landing", (q, r) => {
    const found = asked(q, r, RIGHT_TO_LIST);
    if (!found) return;
    const { landing } = found.platform;
    if (landing) r.json({ ...landing, accounts: [...accounts].map(([name, { rights }]) => ({ name, rights })) });
    else r.status(404).json({ error: "this platform does not tell" });
  });
  app.get("/:platform/flows", (q, r) => {
    const found = asked(q, r, RIGHT_TO_LIST);
    if (!found) return;
    const from = Number(q.query["from"] ?? 0);
    const { flows } = found.platform;
    r.json({ flows: flows.slice(from, from + FLOW_PAGE), next: from + FLOW_PAGE < flows.length ? from + FLOW_PAGE : null });
  });
  app.post("/:platform/machines/:machine/inside", express.json(), (q, r) => {
    const found = asked(q, r, RIGHT_INSIDE);
    if (!found) return;
    const machine = found.platform.machines.find((m) => m.id === q.params["machine"]);
    const { kind, to } = q.body as { kind?: unknown; to?: unknown };
    if (!machine) r.status(404).json({ error: "no such machine" });
    else r.json(insideOutcome(machine.id, String(kind), String(to), found.platform.inside.get(machine.id)));
  });
  return createServer({ key, cert }, app);
}

function insideOutcome(machine: string, kind: string, to: string, inside: InsideMachine | undefined): { good: boolean; words: string } {
  if (kind === "outside") {
    const good = inside?.reaches.includes(to) ?? false;
    return { good, words: good ? `${machine} reaches ${to}` : `${machine} does not reach ${to} from inside: no answer` };
  }
  const good = inside?.commands.includes(to) ?? false;
  return { good, words: good ? `“${to}” ends well on ${machine}` : `“${to}” fails on ${machine}` };
}

const digest = (text: string): Buffer => createHash("sha256").update(text).digest();
const same = (a: string, b: string): boolean => timingSafeEqual(digest(a), digest(b));
