import { createServer } from "node:http";
import { createServer as createTcp, type AddressInfo, type Server } from "node:net";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { mailServer, nameServer, timeServer } from "#standins/services/servers.ts";
import { clockOffset, lookUp, trySetup } from "./setup.ts";
import { type CheckMeans, tryCheck } from "./try-check.ts";

const open: { close: (done?: () => void) => unknown }[] = [];
const udp = async (socket: ReturnType<typeof nameServer>): Promise<string> => {
  open.push(socket);
  await new Promise<void>((done) => socket.bind(0, "127.0.0.1", done));
  return `127.0.0.1:${socket.address().port}`;
};
const tcp = async (server: Server): Promise<number> => {
  open.push(server);
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  return (server.address() as AddressInfo).port;
};
let names = "";
let web = 0;
let silent = 0;
beforeAll(async () => {
  names = await udp(nameServer(new Map([["shop.example", "127.0.0.1"]])));
  web = await tcp(createServer((request, response) => response.writeHead(request.headers.host === `shop.example:${web}` ? 204 : 400).end()));
  // Takes connections and says nothing.
  silent = await tcp(createTcp((socket) => void socket.on("error", () => undefined)));
});
afterAll(() => void open.forEach((s) => s.close()));
const means = (more: Partial<CheckMeans> = {}): CheckMeans => ({ serviceName: "shop.example", names, account: null, inside: null, waitMs: 600, ...more });

describe("checks", () => {
  it("find what they try by the stated name server, under its own name", async () => {
    expect(await tryCheck({ kind: "http", seconds: 1, to: `http://shop.example:${web}/` }, means())).toMatchObject({ good: true, words: `http://shop.example:${web}/ answers 204` });
    expect(await tryCheck({ kind: "http", seconds: 1, to: `http://nowhere.example:${web}/` }, means())).toMatchObject({ good: false, words: `http://nowhere.example:${web}/ cannot be found: the name is not known` });
    expect(await tryCheck({ kind: "name", seconds: 1 }, means())).toMatchObject({ good: true, words: "shop.example is 127.0.0.1" });
    expect(await tryCheck({ kind: "name", seconds: 1 }, means({ names: null }))).toMatchObject({ good: false });
    expect(await tryCheck({ kind: "name", seconds: 1 }, means({ names: "127.0.0.1:1" }))).toMatchObject({ good: false, words: expect.stringContaining("refuses the connection") as string });
  });
  it("say what is wanting where they cannot be tried", async () => {
    expect(await tryCheck({ kind: "tcp", seconds: 1 }, means())).toMatchObject({ good: false, words: "no port is stated; write host:port into the check" });
    expect(await tryCheck({ kind: "command", seconds: 1, to: "ready", machine: "m" }, means())).toMatchObject({ good: false, words: expect.stringContaining("no connected platform speaks for this machine") as string });
  });
  it("give up on what takes connections and never answers", async () => {
    const trial = await tryCheck({ kind: "http", seconds: 1, to: `http://127.0.0.1:${silent}/` }, means());
    expect(trial).toMatchObject({ good: false, words: `http://127.0.0.1:${silent}/ does not answer` });
  });
});

describe("the coordinator's set-up", () => {
  it("finds a clock that is off, and by how much", async () => {
    const right = await udp(timeServer(0));
    const ahead = await udp(timeServer(190));
    const behind = await udp(timeServer(-3_600));
    expect(Math.abs(await clockOffset(right))).toBeLessThan(1);
    expect(Math.abs((await clockOffset(ahead)) - 190)).toBeLessThan(1);
    expect(Math.abs((await clockOffset(behind)) + 3_600)).toBeLessThan(1);
    expect(await trySetup("clock", ahead, [])).toMatchObject({ good: false, words: expect.stringContaining("this clock is 3 min 10 s behind") as string });
    expect(await trySetup("clock", behind, [])).toMatchObject({ good: false, words: expect.stringContaining("this clock is 1 h ahead of") as string });
    // A name server is no time server.
    expect(await trySetup("clock", names, [], 600)).toMatchObject({ good: false });
  });
  it("looks names up, and tells an unknown one from a server that does not answer", async () => {
    expect(await lookUp(names, "shop.example")).toEqual(["127.0.0.1"]);
    expect(await lookUp(names, "nowhere.example")).toEqual([]);
    await expect(lookUp("127.0.0.1:1", "shop.example")).rejects.toThrow();
    expect(await trySetup("names", names, ["shop.example", "a.example", "b.example"])).toMatchObject({ good: false, words: expect.stringContaining("does not know a.example, b.example") as string });
  });
  it("asks a mail server whether it takes mail", async () => {
    const mail = mailServer();
    open.push(mail);
    await new Promise<void>((done) => mail.listen(0, "127.0.0.1", done));
    expect(await trySetup("mail", `127.0.0.1:${(mail.server.address() as AddressInfo).port}`, [])).toMatchObject({ good: true });
    expect(await trySetup("mail", `127.0.0.1:${web}`, [], 600)).toMatchObject({ good: false });
  });
});
