import { spawn, type ChildProcess } from "node:child_process";
import { createServer } from "node:net";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll } from "vitest";
import { CreateBucketCommand, S3Client } from "@aws-sdk/client-s3";
import { temporaryFolder } from "../tests/temporary.ts";
import { BucketStore } from "./bucket-store.ts";
import { storeConformance } from "./tests/conformance.ts";

let child: ChildProcess | undefined;
let endpoint = "";
let made = 0;

/** `fauxqs`, a foreign server of the S3 protocol (it checks no signatures, so no wrong account is tried). */
beforeAll(async () => {
  const free = createServer().listen(0, "127.0.0.1");
  await new Promise((done) => free.once("listening", done));
  const { port } = free.address() as AddressInfo;
  await new Promise((done) => free.close(done));
  child = spawn(process.execPath, ["node_modules/fauxqs/dist/server.js"], {
    env: { ...process.env, FAUXQS_PORT: String(port), FAUXQS_HOST: "127.0.0.1", FAUXQS_LOGGER: "false", FAUXQS_DATA_DIR: await temporaryFolder() },
    stdio: "ignore",
  });
  endpoint = `http://127.0.0.1:${port}`;
  for (let i = 0; i < 100; i++) {
    if (await fetch(endpoint).then(() => true, () => false)) return;
    await new Promise((done) => setTimeout(done, 100));
  }
  throw new Error("the foreign bucket server did not start");
});
afterAll(() => child?.kill("SIGKILL"));

storeConformance("our client on a foreign bucket server", async () => {
  const bucket = `foreign-${++made}`;
  const credentials = { accessKeyId: "test", secretAccessKey: "test" };
  await new S3Client({ endpoint, region: "us-east-1", forcePathStyle: true, credentials }).send(new CreateBucketCommand({ Bucket: bucket }));
  const at = (url: string): BucketStore => new BucketStore("bucket", { endpoint: url, region: "us-east-1", bucket, ...credentials });
  return { store: at(endpoint), unreachable: at("http://127.0.0.1:9") };
});
