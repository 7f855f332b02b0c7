import { mkdir, open, readFile } from "node:fs/promises";
import { join } from "node:path";
import { CreateBucketCommand, S3Client } from "@aws-sdk/client-s3";
import { inArray, notInArray } from "drizzle-orm";
import type { Digest } from "#engine/digest.ts";
import { pointChunks, readConfig } from "#engine/points/point.ts";
import type { PointId } from "#engine/points/publication.ts";
import { blobName } from "#engine/vault.ts";
import { verify } from "#engine/verify.ts";
import type { Estate } from "#core/estate/model.ts";
import { readEstate } from "#formats/estate/read-estate.ts";
import type { Application } from "#server/application.ts";
import { markDamaged, pointsOf } from "#server/db/queries/copies.ts";
import { SETUP_KINDS } from "#server/checks/setup.ts";
import { checkAccounts, platformConnections, schedules, setupAddresses, works } from "#server/db/schema.ts";
import { changeEstate } from "#server/estate/change-estate.ts";
import { discoverNow } from "#server/jobs/discover-platform.ts";
import { addMembership, addPerson } from "#server/people/sign-in.ts";
import { openManager } from "#server/platforms/open-manager.ts";
import { saveStoreAccess } from "#server/stores/store-book.ts";
import type { FolderSecrets } from "../scripts/data-folder.ts";

const HOUR = 3_600_000;

/** The two customers of the demo: who they are, how they are protected. */
async function demoEstates(): Promise<Estate[]> {
  return Promise.all(["demo/estate.yaml", "demo/charters.yaml"].map(async (file) => readEstate(await readFile(file, "utf8")).estate));
}

/** Describes the demo's estates, their people and how their stores are reached. */
export async function describeDemo(app: Application, data: string, secrets: FolderSecrets): Promise<void> {
  const { db } = app.connection;
  const account = { endpoint: `http://127.0.0.1:${secrets.bucketPort}`, region: "fulmar", accessKeyId: secrets.bucketKey, secretAccessKey: secrets.bucketSecret };
  const client = new S3Client({ endpoint: account.endpoint, region: account.region, forcePathStyle: true, credentials: account, requestChecksumCalculation: "WHEN_REQUIRED" });
  const modelAt = await app.world.now();
  const estates = await demoEstates();
  for (const estate of estates) {
    const organisationId = estate.organisation.id;
    await changeEstate(db, estate, { personName: "demo", reason: "read from the demo's files", modelAt });
    for (const { id, kind } of estate.stores) {
      if (kind === "bucket" || kind === "archive") {
        await client.send(new CreateBucketCommand({ Bucket: id }));
        await saveStoreAccess(db, app.sealer, organisationId, id, { kind: "bucket", ...account, bucket: id });
      } else {
        const path = join(data, "stores", id);
        await mkdir(path, { recursive: true });
        await saveStoreAccess(db, app.sealer, organisationId, id, { kind: "folder", path });
      }
    }
  }
  await db.insert(setupAddresses).values(SETUP_KINDS.map((what) => ({ organisationId: estates[0]!.organisation.id, what, address: `127.0.0.1:${secrets.surroundPorts[what]}` })));
  await db.insert(checkAccounts).values({ organisationId: estates[0]!.organisation.id, serviceId: "identity", sealed: app.sealer.seal(secrets.checkAccount) });
  const [first, second] = estates.map((e) => e.organisation.id);
  for (const s of secrets.signIns) await addPerson(db, { organisationId: s.organisation ?? first!, signInName: s.name, name: s.person, role: s.role, password: s.password });
  await addMembership(db, "coordinator", second!, "coordinator");
}

const CONNECTED = { "skerry-quay": "tern-quay", "skerry-yard": "gannet-yard", "fulmar-north": "fulmar-north" } as const;

/** Connects some of the stand-in platform managers as a person would, and lists what runs there. */
export async function connectDemoPlatforms(app: Application, secrets: FolderSecrets): Promise<void> {
  const { db } = app.connection;
  const { organisation } = readEstate(await readFile("demo/estate.yaml", "utf8")).estate;
  for (const [id, site] of Object.entries(CONNECTED)) {
    const access = { kind: "manager" as const, address: platformAddress(secrets, id), account: "reader", password: secrets.platformAccounts["reader"]!.password, fingerprint: "" };
    access.fingerprint = (await openManager(access).try()).find((t) => t.shown)!.shown!;
    const trials = await openManager(access).try();
    await db.insert(platformConnections).values({ organisationId: organisation.id, id, siteId: site, address: access.address, account: access.account, sealed: app.sealer.seal(access), trials, triedAt: new Date() });
    await discoverNow(db, app.sealer, organisation.id, id, await app.world.now(), () => undefined);
  }
}

export const platformAddress = (secrets: FolderSecrets, id: string): string => `https://127.0.0.1:${secrets.platformPort}/${id}`;

/**
 * Damages one byte of what the newest point of a machine alone holds in one store, and verifies that
 * store: what is shown as damaged was found to be.
 */
export async function damageOnePoint(app: Application, data: string): Promise<void> {
  const { db } = app.connection;
  const organisationId = (await demoEstates())[0]!.organisation.id;
  const vault = await app.stores.vault(organisationId, DAMAGED.store);
  const [newest, before] = (await pointsOf(db, organisationId, DAMAGED.machine)).filter((p) => p.copies.some((c) => c.store === DAMAGED.store));
  const chunksOf = async (point: { id: string } | undefined): Promise<Set<Digest>> => {
    const found = new Set<Digest>();
    if (point) for await (const row of pointChunks(await readConfig(vault, point.id as PointId), (digest) => vault.page(digest))) for (const { digest } of row) found.add(digest);
    return found;
  };
  const earlier = await chunksOf(before);
  const own = [...(await chunksOf(newest))].find((digest) => !earlier.has(digest));
  const place = own && vault.chunkPlace(own);
  if (!place) throw new Error(`no chunk of ${DAMAGED.machine} alone lies in ${DAMAGED.store}`);
  const file = await open(join(data, "stores", DAMAGED.store, blobName(place.packDigest)), "r+");
  const byte = Buffer.alloc(1);
  const at = Math.floor((await file.stat()).size / 2);
  await file.read(byte, 0, 1, at);
  await file.write(Buffer.from([byte[0]! ^ 0xff]), 0, 1, at);
  await file.close();
  const { points } = await verify(vault);
  await markDamaged(db, organisationId, DAMAGED.store, points.filter((p) => p.faults.length > 0).map((p) => p.publication.id));
}
const DAMAGED = { store: "yard-disks", machine: "crane-log" };

/** How much past a demo has: whole days, and hours at their end with a capture each. */
export type Past = { days: number; hours: number };
export const DEMO_PAST: Past = { days: 7, hours: 24 };

/** A capture a day, every hour at the end, then twenty minutes more. */
export function demoInstants(begins: number, { days, hours }: Past): number[] {
  const end = begins + days * 24 * HOUR;
  const daily = Array.from({ length: Math.max(0, days - 1) }, (_, i) => begins + 12 * HOUR + i * 24 * HOUR);
  const hourly = Array.from({ length: hours }, (_, i) => end - (hours - 1 - i) * HOUR);
  return [...new Set([...daily.filter((t) => t < hourly[0]!), ...hourly])].filter((t) => t > begins).sort((a, b) => a - b).concat(end + HOUR / 3);
}

/** Runs the engine through the demo's past; calls back with the share that is done. */
export async function runThroughPast(app: Application, begins: number, progress: (done: number, of: number) => void, past = DEMO_PAST): Promise<void> {
  const { db } = app.connection;
  const estates = await demoEstates();
  const instants = demoInstants(begins, past);
  await app.world.setPace({ mode: "events", factor: 60 });
  for (const { organisation, policies } of estates)
    await db.insert(works).values({ organisationId: organisation.id, kind: "history", subject: { kind: "history", policies: policies.map(({ id, every }) => ({ id, every })), instants }, foreground: true, personName: "demo", reason: "the demo's past" });
  app.coordinator.start();
  for (;;) {
    await new Promise((done) => setTimeout(done, 400));
    const open = await db.select().from(works).where(notInArray(works.state, ["done", "failed", "stopped"]));
    const history = open.find((w) => w.kind === "history");
    if (history) progress(Number(history.progress.note?.split(" ")[0] ?? 0), instants.length);
    if (open.length === 0) break;
  }
  const failed = await db.select().from(works).where(inArray(works.state, ["failed", "stopped"]));
  if (failed.length > 0) throw new Error(`the demo's past could not be made: ${failed[0]!.failure}`);
  await app.coordinator.stop();
  const now = await app.world.now();
  const next = (every: number): number => (Math.floor(now / (every * 1000)) + 1) * every * 1000;
  for (const { organisation, policies } of estates) await db.insert(schedules).values(policies.map(({ id, every }) => ({ organisationId: organisation.id, policyId: id, running: true, nextAt: next(every) }))).onConflictDoNothing();
  await app.world.setPace({ mode: "hurried", factor: 60 });
}
