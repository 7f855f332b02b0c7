import { mkdir } from "node:fs/promises";
import { bucketServer } from "./server.ts";

/** Environment: BUCKET_FOLDER, BUCKET_PORT, BUCKET_KEY, BUCKET_SECRET; BUCKET_RELAXED=1 leaves syncing to the system. */
const { BUCKET_FOLDER, BUCKET_PORT, BUCKET_KEY, BUCKET_SECRET, BUCKET_RELAXED } = process.env;
if (!BUCKET_FOLDER || !BUCKET_PORT || !BUCKET_KEY || !BUCKET_SECRET) throw new Error("the bucket server needs BUCKET_FOLDER, BUCKET_PORT, BUCKET_KEY and BUCKET_SECRET");

await mkdir(BUCKET_FOLDER, { recursive: true });
const server = bucketServer({ folder: BUCKET_FOLDER, accounts: new Map([[BUCKET_KEY, BUCKET_SECRET]]), relaxed: BUCKET_RELAXED === "1" });
server.listen(Number(BUCKET_PORT), "127.0.0.1", () => process.send?.("ready"));
const stop = (): void => {
  server.close(() => process.exit(0));
  server.closeAllConnections();
};
process.on("SIGTERM", stop);
process.on("SIGINT", stop);
process.on("disconnect", stop);
