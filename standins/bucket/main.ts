import { mkdir } from "node:fs/promises";
import { Bonjour } from "bonjour-service";
import { bucketServer } from "./server.ts";

/** Environment: BUCKET_FOLDER, BUCKET_PORT, BUCKET_KEY, BUCKET_SECRET; BUCKET_RELAXED=1 leaves syncing to the system, BUCKET_NAME announces the server on loopback under that name (DNS-SD). */
const { BUCKET_FOLDER, BUCKET_PORT, BUCKET_KEY, BUCKET_SECRET, BUCKET_RELAXED, BUCKET_NAME } = process.env;
if (!BUCKET_FOLDER || !BUCKET_PORT || !BUCKET_KEY || !BUCKET_SECRET) throw new Error("the bucket server needs BUCKET_FOLDER, BUCKET_PORT, BUCKET_KEY and BUCKET_SECRET");

await mkdir(BUCKET_FOLDER, { recursive: true });
const server = bucketServer({ folder: BUCKET_FOLDER, accounts: new Map([[BUCKET_KEY, BUCKET_SECRET]]), relaxed: BUCKET_RELAXED === "1" });
server.listen(Number(BUCKET_PORT), "127.0.0.1", () => process.send?.("ready"));
const bonjour = BUCKET_NAME ? new Bonjour({ interface: "127.0.0.1", bind: "0.0.0.0", loopback: true } as object, (error: Error) => console.error(`The bucket server cannot announce itself: ${error.message}`)) : null;
bonjour?.publish({ name: BUCKET_NAME!, type: "ypostasis", port: Number(BUCKET_PORT), txt: { kind: "bucket", region: "fulmar" }, probe: false });
const stop = (): void => {
  bonjour?.destroy();
  server.close(() => process.exit(0));
  server.closeAllConnections();
};
process.on("SIGTERM", stop);
process.on("SIGINT", stop);
process.on("disconnect", stop);
