import type { Digest } from "../digest.ts";
import { isDigest } from "../digest.ts";
import { EngineError } from "../errors.ts";
import type { PageSink, PageSource, StreamMap } from "./block-map.ts";

/**
 * What a point holds, sorted by path: files, folders, links, disks. Written as pages of JSON lines.
 * Paths are bytes: text where they are valid UTF-8, base64 under another key where they are not.
 */
export type EntryType = "file" | "folder" | "symlink" | "hardlink" | "disk";
export type CatalogueEntry = {
  path: Buffer;
  type: EntryType;
  /** Permission bits, as in `chmod`. */
  mode?: number;
  uid?: number;
  gid?: number;
  /** Modification time in whole microseconds since the epoch. */
  mtimeMicros?: number;
  /** Of a symbolic link: what it says. Of a hard link: the path in this catalogue that holds the contents. */
  target?: Buffer;
  /** Nominal size. */
  bytes?: number;
  map?: StreamMap;
};
export type CatalogueRoot = { pages: Digest[]; entries: number };

const PAGE_BYTES = 256 * 1024;

export class CatalogueWriter {
  private lines: string[] = [];
  private pending = 0;
  private readonly root: CatalogueRoot = { pages: [], entries: 0 };
  private last: Buffer | undefined;

  constructor(private readonly put: PageSink) {}

  /** Entries must come in the order of `comparePaths`. */
  async add(entry: CatalogueEntry): Promise<void> {
    if (this.last && comparePaths(this.last, entry.path) >= 0) throw new TypeError(`catalogue out of order at ${entry.path.toString()}`);
    this.last = entry.path;
    const line = JSON.stringify(entryToJson(entry));
    this.lines.push(line);
    this.pending += line.length + 1;
    this.root.entries++;
    if (this.pending >= PAGE_BYTES) await this.cut();
  }

  async finish(): Promise<CatalogueRoot> {
    await this.cut();
    return this.root;
  }

  private async cut(): Promise<void> {
    if (this.lines.length === 0) return;
    this.root.pages.push(await this.put(Buffer.from(`${this.lines.join("\n")}\n`)));
    this.lines = [];
    this.pending = 0;
  }
}

export async function* readCatalogue(root: CatalogueRoot, get: PageSource): AsyncGenerator<CatalogueEntry> {
  for (const page of root.pages) {
    const text = (await get(page)).toString("utf8");
    for (const line of text.split("\n")) if (line) yield entryFromJson(line);
  }
}

/** Folder by folder: a parent before what it contains, names compared as bytes. */
export function comparePaths(a: Buffer, b: Buffer): number {
  const slash = 0x2f;
  const length = Math.min(a.length, b.length);
  for (let i = 0; i < length; i++) {
    if (a[i] === b[i]) continue;
    if (a[i] === slash) return -1;
    if (b[i] === slash) return 1;
    return a[i]! - b[i]!;
  }
  return a.length - b.length;
}

type Json = Record<string, unknown>;

const bytesToJson = (key: string, bytes: Buffer): Json => {
  const text = bytes.toString("utf8");
  return Buffer.from(text, "utf8").equals(bytes) ? { [key]: text } : { [`${key}Base64`]: bytes.toString("base64") };
};

const bytesFromJson = (json: Json, key: string): Buffer | undefined => {
  const text = json[key];
  if (typeof text === "string") return Buffer.from(text, "utf8");
  const base64 = json[`${key}Base64`];
  return typeof base64 === "string" ? Buffer.from(base64, "base64") : undefined;
};

function entryToJson(entry: CatalogueEntry): Json {
  const { path, target, map, ...plain } = entry;
  return {
    ...bytesToJson("path", path),
    ...plain,
    ...(target ? bytesToJson("target", target) : {}),
    ...(map?.kind === "inline" ? { blocks: map.entries.map((e) => [e.digest ?? 0, e.nominalBytes]) } : {}),
    ...(map?.kind === "tree" ? { map: { root: map.root, height: map.height } } : {}),
  };
}

const TYPES: readonly EntryType[] = ["file", "folder", "symlink", "hardlink", "disk"];

function entryFromJson(line: string): CatalogueEntry {
  const wrong = (what: string): EngineError => new EngineError("damaged", `a catalogue entry has ${what}`);
  let json: Json;
  try {
    json = JSON.parse(line) as Json;
  } catch (cause) {
    throw new EngineError("damaged", "a catalogue line is not JSON", {}, { cause });
  }
  const path = bytesFromJson(json, "path");
  if (!path || !isSafePath(path)) throw wrong("a path that leaves its folder");
  const type = json["type"] as EntryType;
  if (!TYPES.includes(type)) throw wrong("an unknown type");
  const number = (key: string): number | undefined => (Number.isSafeInteger(json[key]) ? (json[key] as number) : undefined);
  const entry: CatalogueEntry = { path, type };
  for (const key of ["mode", "uid", "gid", "mtimeMicros", "bytes"] as const) {
    const value = number(key);
    if (value !== undefined) entry[key] = value;
  }
  const target = bytesFromJson(json, "target");
  if (target) entry.target = target;
  if (type === "hardlink" && (!target || !isSafePath(target))) throw wrong("a link that leaves its folder");
  const blocks = json["blocks"];
  const tree = json["map"] as { root?: unknown; height?: unknown } | undefined;
  if (Array.isArray(blocks))
    entry.map = {
      kind: "inline",
      entries: blocks.map((block: unknown) => {
        const [digest, nominalBytes] = block as [unknown, unknown];
        if (typeof nominalBytes !== "number" || !(digest === 0 || (typeof digest === "string" && isDigest(digest)))) throw wrong("a block that is none");
        return { digest: digest === 0 ? null : digest, nominalBytes };
      }),
    };
  else if (tree) {
    if (typeof tree.root !== "string" || !isDigest(tree.root) || typeof tree.height !== "number") throw wrong("a map that is none");
    entry.map = { kind: "tree", root: tree.root, height: tree.height };
  }
  return entry;
}

/** Relative, without empty, `.` or `..` parts and without NUL: what comes out of a point never leaves its folder. */
function isSafePath(path: Buffer): boolean {
  if (path.length === 0 || path.includes(0)) return false;
  return path
    .toString("latin1")
    .split("/")
    .every((part) => part !== "" && part !== "." && part !== "..");
}
