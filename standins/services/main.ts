import { readFile } from "node:fs/promises";
import type { Server } from "node:http";
import { readAnswers } from "./answers-file.ts";
import { mailServer, nameServer, serviceServer, timeServer } from "./servers.ts";

/** Environment: SERVICES_FILE, SERVICES_PORTS (JSON: names, clock, mail), SERVICES_ACCOUNT (JSON: name, password). */
const { SERVICES_FILE, SERVICES_PORTS, SERVICES_ACCOUNT } = process.env;
if (!SERVICES_FILE || !SERVICES_PORTS || !SERVICES_ACCOUNT) throw new Error("the services need SERVICES_FILE, SERVICES_PORTS and SERVICES_ACCOUNT");

const answers = readAnswers(await readFile(SERVICES_FILE, "utf8"));
const ports = JSON.parse(SERVICES_PORTS) as { names: number; clock: number; mail: number };
const account = JSON.parse(SERVICES_ACCOUNT) as { name: string; password: string };

const listen = (server: Server, port: number, host: string): Promise<void> =>
  new Promise((done, fail) => {
    server.once("error", fail);
    server.listen(port, host, () => done());
  });

/** Every service has an address of its own on this machine, 127.x.…; x is one that nobody else uses. */
async function listenSomewhere(): Promise<{ block: number; servers: Server[] }> {
  for (let tries = 0; ; tries++) {
    const block = 64 + Math.floor(Math.random() * 128);
    const servers = answers.listens.map((l) => serviceServer(l, account));
    try {
      for (const [i, { at, port }] of answers.listens.entries()) await listen(servers[i]!, port, `127.${block}.${at}`);
      return { block, servers };
    } catch (error) {
      for (const server of servers) server.close();
      if (tries >= 20) throw error;
    }
  }
}

const { block, servers } = await listenSomewhere();
const names = nameServer(new Map([...answers.names].map(([name, at]) => [name, `127.${block}.${at}`])));
const clock = timeServer(answers.clockOff);
const mail = mailServer();
await Promise.all([new Promise<void>((done) => names.bind(ports.names, "127.0.0.1", done)), new Promise<void>((done) => clock.bind(ports.clock, "127.0.0.1", done)), new Promise<void>((done) => mail.listen(ports.mail, "127.0.0.1", done))]);
process.send?.("ready");

const stop = (): void => {
  for (const server of servers) server.close();
  names.close();
  clock.close();
  mail.close(() => process.exit(0));
};
process.on("SIGTERM", stop);
process.on("SIGINT", stop);
process.on("disconnect", stop);
