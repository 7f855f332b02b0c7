import { mkdir, realpath, stat } from "node:fs/promises";
import { basename, resolve, sep } from "node:path";
import type { Command } from "commander";
import { countWords, durationWords, sizeWords } from "#core/wording/amounts.ts";
import { bringBackTree } from "#engine/bring-back.ts";
import { capture } from "#engine/capture.ts";
import { EngineError } from "#engine/errors.ts";
import { findPoint, isPublished, listPoints, rebuildIndex } from "#engine/points/point.ts";
import type { Publication } from "#engine/points/publication.ts";
import { replicate } from "#engine/replicate.ts";
import { unpaced } from "#engine/slices.ts";
import { TreeSource } from "#engine/sources/tree-source.ts";
import { FolderStore } from "#engine/stores/folder-store.ts";
import { Vault } from "#engine/vault.ts";
import { verify } from "#engine/verify.ts";
import { complain, type ExitCode, isoSeconds, say } from "./output.ts";

const openVault = async (path: string): Promise<Vault> => {
  const folder = resolve(path);
  if (!(await stat(folder).catch(() => undefined))?.isDirectory()) throw new EngineError("input", `There is no store at ${path}: it is not a folder`);
  return Vault.open(new FolderStore(path, folder));
};

const createVault = async (path: string): Promise<Vault> => {
  await mkdir(resolve(path), { recursive: true }).catch((error: unknown) => {
    throw new EngineError("input", `${path} cannot be a store: ${(error as Error).message}`, {}, { cause: error });
  });
  return Vault.create(new FolderStore(path, resolve(path)));
};

/** Protecting what holds its own destination never ends. */
async function refuseOwnDestination(source: string, store: string): Promise<void> {
  const [a, b] = await Promise.all([realpath(source).catch(() => resolve(source)), realpath(store).catch(() => resolve(store))]);
  if (b === a || b.startsWith(a + sep)) throw new EngineError("input", `The store ${store} lies inside ${source}: the copy would hold itself and never end. Choose a store elsewhere`);
  if (a.startsWith(b + sep)) throw new EngineError("input", `${source} lies inside the store ${store}; name what is to be protected, not the store itself`);
}

const pointLine = (p: Publication): string => `${p.id.slice(0, 12)}  ${isoSeconds(p.capturedAt)}  ${sizeWords(p.nominalBytes).padStart(9)}  ${p.name}`;

export function addStoreCommands(program: Command, finish: (work: Promise<ExitCode>) => Promise<void>): void {
  program
    .command("protect")
    .summary("capture a folder or disk image into a store")
    .description("Captures PATH (a folder, or a file taken as a disk image) as it is now into the store, a folder that is made if need be. Only chunks the store has not are written. Sockets, pipes and devices are skipped and listed.")
    .argument("<path>", "folder or disk image")
    .requiredOption("--store <folder>", "the store")
    .option("--name <name>", "name of what is protected (default: the last part of PATH)")
    .action((path: string, o: { store: string; name?: string }) => finish(protect(path, o)));
  program
    .command("copies")
    .summary("list the recovery points of a store")
    .description("Lists every recovery point of the store, newest first: id, instant, size, name.")
    .requiredOption("--store <folder>", "the store")
    .option("--json", "one JSON object with a list of points")
    .action((o: { store: string; json?: boolean }) => finish(copies(o)));
  program
    .command("replicate")
    .summary("copy all points from one store to another")
    .description("Copies every recovery point the other store has not; only chunks missing there are sent, each checked.")
    .requiredOption("--from <folder>", "the store to read")
    .requiredOption("--to <folder>", "the store to write; made if need be")
    .action((o: { from: string; to: string }) => finish(replicateAll(o)));
  program
    .command("verify")
    .summary("read a whole store and say what is damaged")
    .description("Reads every blob, compares it with its SHA-256, and follows every point down to its chunks. Exit 1 names what is damaged.")
    .requiredOption("--store <folder>", "the store")
    .action((o: { store: string }) => finish(verifyStore(o)));
  program
    .command("bring-back")
    .summary("bring a point back into a new or empty folder")
    .description("Brings the newest point of NAME, or the one given by --point, back into a new or empty folder; every chunk is checked.")
    .requiredOption("--store <folder>", "the store")
    .requiredOption("--name <name>", "what to bring back")
    .option("--point <id>", "id of a point, or its first six digits or more")
    .requiredOption("--to <path>", "a new or empty folder")
    .action((o: { store: string; name: string; point?: string; to: string }) => finish(bringBack(o)));
}

async function protect(path: string, o: { store: string; name?: string }): Promise<ExitCode> {
  const source = await TreeSource.at(path);
  await refuseOwnDestination(path, o.store);
  const vault = await createVault(o.store);
  const began = process.hrtime.bigint();
  const { publication, config, totals } = await capture(vault, source, { name: o.name ?? basename(resolve(path)), capturedAt: Date.now() }, unpaced());
  await rebuildIndex(vault);
  say(`point ${publication.id}`);
  say(
    `${config.name}: ${countWords(config.catalogue.entries, "entry", "entries")}, ${sizeWords(config.nominalBytes)}, ` +
      `${sizeWords(totals.nominalSent)} new (${sizeWords(totals.realStored)} stored), ${durationWords(Number(process.hrtime.bigint() - began) / 1e9)}`,
  );
  for (const { path: at, reason } of config.skipped) say(`skipped ${at}: ${reason}`);
  if (config.skippedCount > config.skipped.length) say(`and ${config.skippedCount - config.skipped.length} more skipped`);
  const unread = config.skipped.filter((s) => s.reason.includes("cannot be read"));
  if (unread.length > 0) {
    complain(`${countWords(unread.length, "entry", "entries")} could not be read and ${unread.length === 1 ? "is" : "are"} not in the point; run as a user who may read them`);
    return 1;
  }
  return 0;
}

async function copies(o: { store: string; json?: boolean }): Promise<ExitCode> {
  const points = await listPoints(await openVault(o.store));
  if (o.json) say(JSON.stringify({ points: points.map((p) => ({ ...p, capturedAt: isoSeconds(p.capturedAt) })) }));
  else if (points.length === 0) say("The store holds no recovery points yet.");
  else for (const point of points) say(pointLine(point));
  return 0;
}

async function replicateAll(o: { from: string; to: string }): Promise<ExitCode> {
  const from = await openVault(o.from);
  if (resolve(o.from) === resolve(o.to)) throw new EngineError("input", "--from and --to are the same store; name another one to copy to");
  const to = await createVault(o.to);
  let copied = 0;
  let sent = 0;
  let failed = 0;
  for (const point of (await listPoints(from)).reverse()) {
    if (await isPublished(to, point.id)) continue;
    try {
      const { totals } = await replicate(from, to, point.id, unpaced());
      sent += totals.nominalSent;
      copied++;
    } catch (error) {
      if (!(error instanceof EngineError) || (error.kind !== "damaged" && error.kind !== "missing")) throw error;
      complain(`point ${point.id.slice(0, 12)} of ${point.name} was not copied: ${error.message}`);
      failed++;
    }
  }
  await rebuildIndex(to);
  say(`${countWords(copied, "point")} copied, ${sizeWords(sent)} sent`);
  return failed ? 1 : 0;
}

async function verifyStore(o: { store: string }): Promise<ExitCode> {
  const result = await verify(await openVault(o.store));
  const broken = result.points.filter((p) => p.faults.length > 0);
  for (const { blob, reason } of result.damaged) complain(`damaged blob ${blob}: ${reason}`);
  for (const { publication, faults } of broken) complain(`point ${publication.id.slice(0, 12)} of ${publication.name} (${isoSeconds(publication.capturedAt)}) is not whole: ${faults.join("; ")}`);
  say(`${countWords(result.blobs, "blob")}, ${sizeWords(result.bytes)} read; ${result.points.length - broken.length} of ${countWords(result.points.length, "point")} whole`);
  return result.damaged.length > 0 || broken.length > 0 ? 1 : 0;
}

async function bringBack(o: { store: string; name: string; point?: string; to: string }): Promise<ExitCode> {
  const vault = await openVault(o.store);
  const all = await listPoints(vault);
  const named = all.filter((p) => p.name === o.name);
  if (named.length === 0) {
    const names = [...new Set(all.map((p) => p.name))].sort();
    throw new EngineError("input", `The store has no point named ${o.name}${names.length ? `; it has ${names.slice(0, 8).join(", ")}` : "; it is empty"}`);
  }
  const chosen = o.point ? findPoint(named, o.point) : named[0]!;
  const { config, entries } = await bringBackTree([vault], chosen.id, resolve(o.to), unpaced());
  say(`${config.name} of ${isoSeconds(config.capturedAt)} brought back to ${o.to}: ${countWords(entries, "entry", "entries")}, ${sizeWords(config.nominalBytes)}, every chunk checked`);
  return 0;
}
