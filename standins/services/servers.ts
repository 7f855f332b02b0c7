import { createSocket, type Socket } from "node:dgram";
import { createServer, type Server } from "node:http";
import { decode, encode } from "dns-packet";
import { SMTPServer } from "smtp-server";
import type { Listening } from "./answers-file.ts";

/** A name server for what it knows; other names do not exist. */
export function nameServer(names: ReadonlyMap<string, string>): Socket {
  const socket = createSocket("udp4");
  socket.on("message", (message, from) => {
    let question;
    try {
      question = decode(message);
    } catch {
      return;
    }
    const [asked] = question.questions ?? [];
    const address = asked && names.get(asked.name.toLowerCase());
    const answers = address && asked.type === "A" ? [{ type: "A" as const, name: asked.name, ttl: 5, data: address }] : [];
    // NXDOMAIN is 3: the low bits of the flags.
    const flags = 0x8180 | (address ? 0 : 3);
    socket.send(encode({ type: "response", id: question.id ?? 0, flags, questions: question.questions ?? [], answers }), from.port, from.address);
  });
  return socket;
}

const NTP_ERA = 2_208_988_800;

/** A time server (RFC 5905, mode 4) whose clock may be off by some seconds. */
export function timeServer(offSeconds: number): Socket {
  const socket = createSocket("udp4");
  socket.on("message", (question, from) => {
    if (question.length < 48) return;
    const reply = Buffer.alloc(48);
    const now = Date.now() / 1000 + offSeconds + NTP_ERA;
    reply[0] = 0x24;
    reply[1] = 2;
    // Their time of sending comes back as it came; received and sent are now.
    question.copy(reply, 24, 40, 48);
    for (const at of [16, 32, 40]) {
      reply.writeUInt32BE(Math.floor(now), at);
      reply.writeUInt32BE(Math.floor((now % 1) * 2 ** 32), at + 4);
    }
    socket.send(reply, from.port, from.address);
  });
  return socket;
}

/** Takes any mail and forgets it. */
export const mailServer = (): SMTPServer => new SMTPServer({ authOptional: true, disabledCommands: ["STARTTLS", "AUTH"], onData: (stream, _session, done) => void stream.resume().on("end", () => done()) });

/** What listens at one address and port: answers paths that it knows, signs the account of checks in. */
export function serviceServer({ http, signIn }: Listening, account: { name: string; password: string }): Server {
  const right = `Basic ${Buffer.from(`${account.name}:${account.password}`).toString("base64")}`;
  return createServer((request, response) => {
    const path = request.url ?? "/";
    if (signIn.includes(path)) response.writeHead(request.headers.authorization === right ? 200 : 401);
    else response.writeHead(http.get(path) ?? 404);
    response.end();
  });
}
