import { createHash } from "node:crypto";
import { Readable } from "node:stream";
import { extract, type Header } from "tar-stream";
import { OvfError, readOvf, type OvfSystem } from "./read-ovf.ts";

const MOST_TEXT_BYTES = 16 * 1024 * 1024;
const MOST_ENTRIES = 10_000;
const MANIFEST_LINE = /^(SHA1|SHA256|SHA512)\s*\(([^)]+)\)\s*=\s*([0-9a-fA-F]+)\s*$/;
type Algorithm = "SHA1" | "SHA256" | "SHA512";

export type OvaReading = { descriptor: string; systems: OvfSystem[]; /** Files whose digests the manifest states and that have them; null without a manifest. */ checked: number | null };

/** Whether bytes begin as a tar archive does (POSIX 1003.1, ustar interchange format). */
export const isTar = (head: Uint8Array): boolean => head.length >= 262 && Buffer.from(head.subarray(257, 262)).toString("latin1") === "ustar";

/**
 * Reads an OVA (DMTF DSP0243: a tar archive whose first entry is the descriptor) as it streams by;
 * nothing is unpacked. Entries that would leave the archive, links and devices are refused, files
 * that the descriptor names must be there, and digests of a manifest must hold. Throws `OvfError`.
 */
export async function readOva(bytes: AsyncIterable<Uint8Array> | Uint8Array): Promise<OvaReading> {
  const archive = extract();
  const source = Readable.from(bytes instanceof Uint8Array ? [Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)] : bytes);
  source.on("error", (error) => archive.destroy(error));
  source.pipe(archive);
  let descriptor: { name: string; text: string } | undefined;
  let manifest: string | undefined;
  const seen = new Map<string, Record<Algorithm, string>>();
  try {
    for await (const entry of archive) {
      const { name } = entry.header;
      refuseEntry(entry.header, seen);
      if (!descriptor && !/\.ovf$/i.test(name)) throw new OvfError(1, `the archive begins with ${shown(name)}; its first entry has to be the descriptor`);
      const isText = /\.(ovf|mf)$/i.test(name);
      const { text, digests } = await readEntry(entry as AsyncIterable<Uint8Array>, name, isText);
      seen.set(name, digests);
      if (/\.ovf$/i.test(name)) {
        if (descriptor) throw new OvfError(1, `the archive holds two descriptors, ${descriptor.name} and ${shown(name)}`);
        descriptor = { name, text };
      } else if (/\.mf$/i.test(name)) manifest = text;
    }
  } catch (error) {
    if (error instanceof OvfError) throw error;
    throw new OvfError(1, `the archive cannot be read to its end: ${(error as Error).message}`);
  } finally {
    source.destroy();
  }
  if (!descriptor) throw new OvfError(1, "the archive is empty; its first entry has to be a descriptor");
  const systems = readOvf(descriptor.text);
  for (const file of new Set(systems.flatMap((s) => s.disks.flatMap((d) => d.file ?? [])))) if (!seen.has(file)) throw new OvfError(1, `the descriptor names ${shown(file)}, and the archive does not hold it`);
  return { descriptor: descriptor.text, systems, checked: manifest === undefined ? null : checkManifest(manifest, seen) };
}

const shown = (name: string): string => JSON.stringify(name.slice(0, 80));

function refuseEntry({ name, type }: Header, seen: ReadonlyMap<string, unknown>): void {
  if (seen.size >= MOST_ENTRIES) throw new OvfError(1, `the archive has more than ${MOST_ENTRIES} entries`);
  if (name === "" || name.startsWith("/") || name.includes("\\") || name.includes("\0") || name.split("/").includes("..")) throw new OvfError(1, `the entry ${shown(name)} would lie outside the archive; nothing was taken in`);
  if (type !== "file" && type !== "contiguous-file") throw new OvfError(1, `the entry ${shown(name)} is a ${type ?? "thing"}; an OVA holds files only`);
  if (seen.has(name)) throw new OvfError(1, `the archive holds ${shown(name)} twice`);
}

async function readEntry(entry: AsyncIterable<Uint8Array>, name: string, isText: boolean): Promise<{ text: string; digests: Record<Algorithm, string> }> {
  const hashes = { SHA1: createHash("sha1"), SHA256: createHash("sha256"), SHA512: createHash("sha512") };
  const parts: Uint8Array[] = [];
  let bytes = 0;
  for await (const part of entry) {
    for (const hash of Object.values(hashes)) hash.update(part);
    bytes += part.length;
    if (!isText) continue;
    if (bytes > MOST_TEXT_BYTES) throw new OvfError(1, `${shown(name)} is larger than 16 MiB`);
    parts.push(part);
  }
  const digests = { SHA1: hashes.SHA1.digest("hex"), SHA256: hashes.SHA256.digest("hex"), SHA512: hashes.SHA512.digest("hex") };
  try {
    return { text: new TextDecoder("utf-8", { fatal: true }).decode(Buffer.concat(parts)), digests };
  } catch {
    throw new OvfError(1, `${shown(name)} is not in UTF-8`);
  }
}

function checkManifest(manifest: string, seen: ReadonlyMap<string, Record<Algorithm, string>>): number {
  const lines = manifest.split(/\r?\n/).filter((line) => line.trim() !== "");
  for (const line of lines) {
    const [, algorithm, name, digest] = MANIFEST_LINE.exec(line) ?? [];
    if (!algorithm || !name || !digest) throw new OvfError(1, `the manifest has a line that is none: ${shown(line)}`);
    const digests = seen.get(name);
    if (!digests) throw new OvfError(1, `the manifest names ${shown(name)}, and the archive does not hold it`);
    if (digests[algorithm as Algorithm] !== digest.toLowerCase()) throw new OvfError(1, `${shown(name)} does not have the digest that the manifest states: the archive is damaged or was changed`);
  }
  return lines.length;
}
