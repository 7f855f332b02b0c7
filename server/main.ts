import { createRequestHandler } from "@react-router/express";
import compression from "compression";
import express, { type Request, type Response } from "express";
import { resolve } from "node:path";
import { pathToFileURL } from "node:url";
import type { ServerBuild } from "react-router";
import { closeApplication, openApplication } from "./application.ts";
import { Live } from "./live.ts";
import { forOneReading } from "./outlook.ts";
import { readSessionToken } from "./people/session-cookie.ts";
import { whoIs } from "./people/sign-in.ts";

/** Environment: DATABASE_URL, WORLD_ADDRESS, WORLD_TOKEN, KEY_FILE, PORT. */
const { DATABASE_URL, WORLD_ADDRESS, WORLD_TOKEN, KEY_FILE, PORT } = process.env;
if (!DATABASE_URL || !WORLD_ADDRESS || !WORLD_TOKEN || !KEY_FILE || !PORT) throw new Error("the server needs DATABASE_URL, WORLD_ADDRESS, WORLD_TOKEN, KEY_FILE and PORT");

const app = await openApplication({ databaseUrl: DATABASE_URL, worldAddress: WORLD_ADDRESS, worldToken: WORLD_TOKEN, keyFile: KEY_FILE }, (line) => console.error(line));
const live = new Live(app);
const build = (await import(pathToFileURL(resolve("build/server/index.js")).href)) as ServerBuild;

const web = express();
web.disable("x-powered-by");
web.use((request, response, next) => {
  response.set({
    "content-security-policy": "default-src 'self'; script-src 'self' 'unsafe-inline'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'self'; form-action 'self'",
    "x-content-type-options": "nosniff",
    "referrer-policy": "same-origin",
  });
  // Cookies are same-site; a foreign page's request is refused by its origin as well.
  const { origin, host } = request.headers;
  if (request.method !== "GET" && request.method !== "HEAD" && origin && !(URL.canParse(origin) && new URL(origin).host === host)) return void response.status(403).send("Requests from other sites are refused.");
  next();
});
web.get("/live", async (request: Request, response: Response) => {
  const token = readSessionToken(request.headers.cookie ?? "");
  const person = token ? await whoIs(app.connection.db, token).catch(() => undefined) : undefined;
  if (!person) return void response.status(401).end();
  await live.connect(request, response, person.organisationId);
});
web.use(compression());
web.use("/assets", express.static("build/client/assets", { immutable: true, maxAge: "1y" }));
web.use(express.static("build/client", { maxAge: "1h" }));
web.all("/{*path}", createRequestHandler({ build, mode: "production", getLoadContext: ({ method }) => ({ app: method === "GET" ? forOneReading(app) : app }) }));

const server = web.listen(Number(PORT), "127.0.0.1", () => {
  app.coordinator.start();
  process.send?.("ready");
});

let stopping = false;
const stop = async (): Promise<void> => {
  if (stopping) return;
  stopping = true;
  live.stop();
  server.close();
  server.closeAllConnections();
  await closeApplication(app).catch(() => undefined);
  process.exit(0);
};
process.on("SIGTERM", () => void stop());
process.on("SIGINT", () => void stop());
process.on("disconnect", () => void stop());
