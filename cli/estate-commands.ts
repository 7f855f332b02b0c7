import { createReadStream } from "node:fs";
import { open, readFile, rename, writeFile } from "node:fs/promises";
import { type Command, Option } from "commander";
import { difference, type ItemDifference, merged } from "#core/estate/difference.ts";
import type { Estate } from "#core/estate/model.ts";
import { countWords } from "#core/wording/amounts.ts";
import { EngineError } from "#engine/errors.ts";
import { EstateFileError, estateFromRaw, readEstate } from "#formats/estate/read-estate.ts";
import { toRaw, updateEstateYaml, writeEstateJson } from "#formats/estate/write-estate.ts";
import { writeSitesGeoJson } from "#formats/geojson/sites.ts";
import { withOvfMachines } from "#formats/ovf/machines.ts";
import { isTar, readOva } from "#formats/ovf/read-ova.ts";
import { OvfError, type OvfSystem, readOvf } from "#formats/ovf/read-ovf.ts";
import { TABLE_KINDS, type TableKind } from "#formats/table/columns.ts";
import { TableFileError } from "#formats/table/read-csv.ts";
import { readTable } from "#formats/table/read-table.ts";
import { complain, type ExitCode, say } from "./output.ts";

export function addEstateCommands(program: Command, finish: (work: Promise<ExitCode>) => Promise<void>): void {
  program
    .command("compare")
    .summary("what has to happen for one estate file to say what another says")
    .description("Reads two estate files and lists every item that appears, goes or changes, with the fields that differ.")
    .requiredOption("--estate <file>", "estate file as it is")
    .requiredOption("--with <file>", "estate file as it shall be")
    .option("--json", "one JSON array")
    .action((o: { estate: string; with: string; json?: boolean }) => finish(compare(o)));
  program
    .command("bring-in")
    .summary("put a table or another estate file into an estate file")
    .description("Reads a CSV table (--kind machines, services or dependencies), an OVF descriptor or OVA archive (--kind ovf) or a second estate file (--kind estate) and shows what it would change; with --write the estate file is changed in place, its comments kept. Nothing is written where a row is wrong.")
    .requiredOption("--estate <file>", "estate file that is added to")
    .requiredOption("--from <file>", "what is brought in")
    .addOption(new Option("--kind <kind>", "what it holds").choices(["estate", "ovf", ...TABLE_KINDS.filter((kind) => kind !== "flows")]).makeOptionMandatory())
    .option("--host <id>", "with --kind ovf: the host the machines run on")
    .option("--replace", "with --kind estate: what is not in the file goes")
    .option("--write", "change the estate file")
    .action((o: BringIn) => finish(bringIn(o)));
  program
    .command("sites")
    .summary("the sites of an estate file as GeoJSON")
    .description("Prints the sites whose place is known, and the lines between them, as GeoJSON (RFC 7946).")
    .requiredOption("--estate <file>", "estate file")
    .action((o: { estate: string }) => finish(sites(o)));
}

type BringIn = { estate: string; from: string; kind: "estate" | "ovf" | TableKind; host?: string; replace?: boolean; write?: boolean };

async function compare(o: { estate: string; with: string; json?: boolean }): Promise<ExitCode> {
  const differences = difference((await estateAt(o.estate)).estate, (await estateAt(o.with)).estate);
  if (o.json) say(JSON.stringify(differences));
  else list(differences);
  return 0;
}

async function bringIn(o: BringIn): Promise<ExitCode> {
  const { text, estate } = await estateAt(o.estate);
  const wanted = o.kind === "estate" ? await fromEstate(estate, o) : o.kind === "ovf" ? await fromDescriptor(estate, o) : await fromTable(estate, o.from, o.kind);
  if (!wanted) return 2;
  const differences = difference(estate, wanted);
  list(differences);
  if (!o.write || differences.length === 0) return 0;
  // Beside it first, so that a kill leaves the old file or the new one.
  await writeFile(`${o.estate}.new`, text.trimStart().startsWith("{") ? writeEstateJson(wanted) : updateEstateYaml(text, wanted), { flush: true });
  await rename(`${o.estate}.new`, o.estate);
  say(`${o.estate} is changed`);
  return 0;
}

async function fromEstate(estate: Estate, o: BringIn): Promise<Estate> {
  const other = (await estateAt(o.from)).estate;
  if (o.replace) return other;
  return refusing(o.from, () => estateFromRaw(toRaw(merged(estate, other))).estate);
}

async function fromDescriptor(estate: Estate, { from, host }: BringIn): Promise<Estate> {
  if (!host) throw new EngineError("input", `Name the host on which the machines of ${from} run: --host`);
  try {
    const { estate: wanted, notes } = withOvfMachines(estate, await systemsAt(from), host);
    for (const words of notes) say(words);
    return wanted;
  } catch (error) {
    if (error instanceof OvfError) throw new EngineError("input", `${from}${error.line > 1 ? `, line ${error.line}` : ""}: ${error.message}`, {}, { cause: error });
    throw error;
  }
}

/** An archive streams by, so that its size does not matter; a descriptor is read whole. */
async function systemsAt(path: string): Promise<OvfSystem[]> {
  const file = await open(path).catch((error: NodeJS.ErrnoException) => {
    throw new EngineError("input", error.code === "ENOENT" ? `There is no file ${path}` : `${path} cannot be read: ${error.message}`);
  });
  const { buffer, bytesRead } = await file.read(Buffer.alloc(512), 0, 512, 0);
  await file.close();
  if (!isTar(buffer.subarray(0, bytesRead))) return readOvf((await bytesAt(path)).toString("utf8"));
  const { systems, checked } = await readOva(createReadStream(path) as AsyncIterable<Uint8Array>);
  if (checked !== null) say(`${countWords(checked, "file has", "files have")} the digests that the manifest states`);
  return systems;
}

async function fromTable(estate: Estate, path: string, kind: TableKind): Promise<Estate | null> {
  const reading = await readTable(await bytesAt(path), kind, estate).catch((error: unknown) => {
    if (error instanceof TableFileError) throw new EngineError("input", `${path}, line ${error.line}: ${error.message}`, {}, { cause: error });
    throw error;
  });
  for (const fault of reading.faults) complain(`${path}, line ${fault.line}${fault.column ? `, ${fault.column}` : ""}: ${fault.message}`);
  for (const words of reading.assumed) say(words);
  return reading.estate;
}

async function sites(o: { estate: string }): Promise<ExitCode> {
  say(JSON.stringify(writeSitesGeoJson((await estateAt(o.estate)).estate), null, 2));
  return 0;
}

function list(differences: readonly ItemDifference[]): void {
  for (const d of differences) {
    say(`${d.kind} ${d.id} ${d.change}`);
    for (const f of d.fields) say(`  ${f.path}: ${JSON.stringify(f.before)} -> ${JSON.stringify(f.after)}`);
  }
  say(differences.length === 0 ? "nothing differs" : `${countWords(differences.length, "item")} in all`);
}

const bytesAt = (path: string): Promise<Buffer> =>
  readFile(path).catch((error: unknown) => {
    throw new EngineError("input", `${path} cannot be read (${(error as NodeJS.ErrnoException).code})`, {}, { cause: error });
  });

async function estateAt(path: string): Promise<{ text: string; estate: Estate }> {
  const text = (await bytesAt(path)).toString("utf8");
  return { text, estate: refusing(path, () => readEstate(text).estate) };
}

function refusing<T>(path: string, read: () => T): T {
  try {
    return read();
  } catch (error) {
    if (error instanceof EstateFileError) throw new EngineError("input", `The estate file ${path} cannot be used:\n${error.message}`, {}, { cause: error });
    throw error;
  }
}
