import { type ChildProcess, fork } from "node:child_process";
import { mkdir, readFile } from "node:fs/promises";
import { join } from "node:path";
import { CreateBucketCommand, S3Client } from "@aws-sdk/client-s3";
import { eq, inArray } from "drizzle-orm";
import type { Estate } from "#core/estate/model.ts";
import { temporaryFolder } from "#engine/tests/temporary.ts";
import { readEstate } from "#formats/estate/read-estate.ts";
import { openMigrated, startSurroundings, type Surroundings } from "../../scripts/data-folder.ts";
import { removeCluster } from "../../scripts/postgres.ts";
import { programOf } from "../../scripts/programs.mjs";
import { type Application, closeApplication } from "../application.ts";
import { runs, runSteps, works } from "../db/schema.ts";
import { changeEstate } from "../estate/change-estate.ts";
import type { Person } from "../people/roles.ts";
import { addPerson } from "../people/sign-in.ts";
import { saveStoreAccess } from "../stores/store-book.ts";

export const ORGANISATION = "skua-test";
const HERE = "server/tests";

/** A whole installation on a temporary folder: database, world, bucket server, the small estate. */
export type Trial = {
  data: string;
  around: Surroundings;
  app: Application;
  estate: Estate;
  coordinator: Person;
  observer: Person;
  storePath: (store: string) => string;
  worker: () => Promise<ChildProcess>;
  close: () => Promise<void>;
};

/** `durable` for what is about a database or machine that stops at once: a relaxed one may forget what it acknowledged. */
export async function startTrial(adjust: (estate: Estate) => void = () => undefined, durable = false, withServices = false): Promise<Trial> {
  const data = await temporaryFolder();
  const around = await startSurroundings(data, { relaxed: !durable, truth: join(HERE, "world.yaml"), inventory: join(HERE, "platforms.yaml"), answers: withServices ? join(HERE, "answers.yaml") : null });
  const app = await openMigrated(around.settings);
  const { estate } = readEstate(await readFile(join(HERE, "estate.yaml"), "utf8"));
  adjust(estate);
  await changeEstate(app.connection.db, estate, { personName: "test", reason: "a test", modelAt: await app.world.now() });
  for (const s of around.secrets.signIns) await addPerson(app.connection.db, { organisationId: ORGANISATION, signInName: s.name, name: s.person, role: s.role, password: s.password });
  const storePath = (store: string): string => join(data, "stores", store);
  for (const store of estate.stores.filter((s) => s.kind === "disk")) {
    await mkdir(storePath(store.id), { recursive: true });
    await saveStoreAccess(app.connection.db, app.sealer, ORGANISATION, store.id, { kind: "folder", path: storePath(store.id) });
  }
  const { secrets } = around;
  const address = { endpoint: `http://127.0.0.1:${secrets.bucketPort}`, region: "north", bucket: "cloud", accessKeyId: secrets.bucketKey, secretAccessKey: secrets.bucketSecret };
  await new S3Client({ endpoint: address.endpoint, region: "north", forcePathStyle: true, credentials: address, requestChecksumCalculation: "WHEN_REQUIRED" }).send(new CreateBucketCommand({ Bucket: "cloud" }));
  await saveStoreAccess(app.connection.db, app.sealer, ORGANISATION, "cloud-bucket", { kind: "bucket", ...address });
  await app.world.setPace({ mode: "events", factor: 60 });
  const workers = new Set<ChildProcess>();
  const worker = async (): Promise<ChildProcess> => {
    const child = fork(await programOf(join(HERE, "worker.ts")), [], { env: { ...process.env, SETTINGS: JSON.stringify(around.settings) }, stdio: ["ignore", "inherit", "inherit", "ipc"] });
    workers.add(child);
    child.once("exit", () => workers.delete(child));
    await new Promise((ready) => child.once("message", ready));
    return child;
  };
  const close = async (): Promise<void> => {
    for (const child of workers) child.kill("SIGKILL");
    await closeApplication(app).catch(() => undefined);
    await around.stop();
    removeCluster(data);
  };
  const person = (role: Person["role"]): Person => ({ id: "00000000-0000-0000-0000-000000000000", name: role, role, organisationId: ORGANISATION });
  return { data, around, app, estate, coordinator: person("coordinator"), observer: person("observer"), storePath, worker, close };
}

export async function kill(child: ChildProcess): Promise<void> {
  const gone = new Promise((done) => child.once("exit", done));
  child.kill("SIGKILL");
  await gone;
}

/** Waits until a condition holds, looking often; fails with its words after the given time. */
export async function until(words: string, holds: () => Promise<boolean>, mostMs = 60_000): Promise<void> {
  const end = Date.now() + mostMs;
  while (!(await holds())) {
    if (Date.now() > end) throw new Error(`not in ${mostMs} ms: ${words}`);
    await new Promise((done) => setTimeout(done, 40));
  }
}

export const pause = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));

const OPEN = ["waiting", "running", "stopping"] as const;

export async function workEnded({ app }: Trial, mostMs?: number): Promise<void> {
  await until("all work has ended", async () => (await app.connection.db.select().from(works).where(inArray(works.state, [...OPEN]))).length === 0, mostMs);
}

export async function stepsOf({ app }: Trial, run: string): Promise<Map<string, typeof runSteps.$inferSelect>> {
  return new Map((await app.connection.db.select().from(runSteps).where(eq(runSteps.runId, run))).map((s) => [s.stepId, s]));
}

export async function runOf({ app }: Trial, id: string): Promise<typeof runs.$inferSelect> {
  return (await app.connection.db.select().from(runs).where(eq(runs.id, id)))[0]!;
}
