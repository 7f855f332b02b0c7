import { SaxesParser, type SaxesTagNS } from "saxes";

/** A descriptor that cannot be taken, with the line it went wrong at. */
export class OvfError extends Error {
  override readonly name = "OvfError";
  constructor(
    readonly line: number,
    message: string,
  ) {
    super(message);
  }
}

export type OvfDisk = { id: string; bytes: number; usedBytes: number | null; file: string | null };
export type OvfSystem = { id: string; name: string; cores: number; memory: number; disks: OvfDisk[]; networks: string[]; firmware: string | null };

const OVF = /^http:\/\/schemas\.dmtf\.org\/ovf\/envelope\/[12]$/;
/** CIM_ResourceAllocationSettingData.ResourceType. */
const TYPE = { cpu: "3", memory: "4", ethernet: "10", disk: "17" };
const MOST_BYTES = 16 * 1024 * 1024;
const MOST_DEPTH = 64;
const MOST_SYSTEMS = 5_000;

type Item = Record<string, string>;
type Found = { id: string; name: string | null; items: Item[]; firmware: string | null };
type Parsed = { systems: Found[]; disks: Map<string, { capacity: string; units: string; populated: string | null; file: string | null }>; files: Map<string, string> };

/**
 * Reads the virtual systems of an OVF descriptor (DMTF DSP0243, versions 1 and 2). Document types
 * and entities of its own are refused, so nothing outside the file is ever read and nothing
 * multiplies. Throws `OvfError`.
 */
export function readOvf(text: string): OvfSystem[] {
  if (text.length > MOST_BYTES) throw new OvfError(1, "the descriptor is larger than 16 MiB");
  const parsed = parse(text);
  if (parsed.systems.length === 0) throw new OvfError(1, "the descriptor has no virtual system");
  return parsed.systems.map((s) => toSystem(s, parsed));
}

function parse(text: string): Parsed {
  const parser = new SaxesParser({ xmlns: true, position: true });
  const out: Parsed = { systems: [], disks: new Map(), files: new Map() };
  const path: string[] = [];
  let item: Item | null = null;
  let words = "";
  let envelope = false;
  const refuse = (message: string): never => {
    throw new OvfError(parser.line, message);
  };
  const attribute = (tag: SaxesTagNS, name: string): string | null => Object.values(tag.attributes).find((a) => a.local === name)?.value ?? null;
  parser.on("error", (error) => refuse(`not well-formed XML: ${error.message.replace(/^\d+:\d+: /, "")}`));
  parser.on("doctype", () => refuse("a document type is not taken: it could read other files or grow without bound"));
  parser.on("opentag", (tag) => {
    if (path.length === 0) {
      if (tag.local !== "Envelope" || !OVF.test(tag.uri)) refuse("the root is no OVF Envelope of version 1 or 2");
      envelope = true;
    }
    path.push(tag.local);
    if (path.length > MOST_DEPTH) refuse(`elements are nested more than ${MOST_DEPTH} deep`);
    words = "";
    const system = out.systems.at(-1);
    if (tag.local === "File") out.files.set(attribute(tag, "id") ?? "", attribute(tag, "href") ?? "");
    else if (tag.local === "Disk") out.disks.set(attribute(tag, "diskId") ?? "", { capacity: attribute(tag, "capacity") ?? "", units: attribute(tag, "capacityAllocationUnits") ?? "byte", populated: attribute(tag, "populatedSize"), file: attribute(tag, "fileRef") });
    else if (tag.local === "VirtualSystem") {
      if (out.systems.length >= MOST_SYSTEMS) refuse(`more than ${MOST_SYSTEMS} virtual systems in one descriptor`);
      out.systems.push({ id: attribute(tag, "id") ?? "", name: null, items: [], firmware: null });
    } else if (system && ["Item", "StorageItem", "EthernetPortItem"].includes(tag.local)) item = {};
    else if (system && tag.local === "Config" && attribute(tag, "key") === "firmware") system.firmware = attribute(tag, "value");
  });
  parser.on("text", (t) => {
    words += t;
  });
  parser.on("closetag", (tag) => {
    path.pop();
    const system = out.systems.at(-1);
    if (["Item", "StorageItem", "EthernetPortItem"].includes(tag.local) && item) {
      system!.items.push(item);
      item = null;
    } else if (item) {
      // Several host resources or connections of one item are told apart by a line end.
      item[tag.local] = item[tag.local] === undefined ? words.trim() : `${item[tag.local]}\n${words.trim()}`;
    } else if (system && tag.local === "Name" && path.at(-1) === "VirtualSystem") system.name = words.trim();
    words = "";
  });
  try {
    parser.write(text).close();
  } catch (error) {
    if (error instanceof OvfError) throw error;
    throw new OvfError(parser.line, `not well-formed XML: ${(error as Error).message}`);
  }
  if (!envelope) throw new OvfError(1, "the file is empty");
  return out;
}

function toSystem(found: Found, { disks, files }: Parsed): OvfSystem {
  const of = (type: string): Item[] => found.items.filter((i) => i["ResourceType"] === type);
  const number = (item: Item | undefined, what: string): number => {
    const n = Number(item?.["VirtualQuantity"]);
    if (!item || !Number.isInteger(n) || n < 1) throw new OvfError(1, `${found.id || "a virtual system"} does not say its ${what}`);
    return n;
  };
  const memory = of(TYPE.memory)[0];
  return {
    id: found.id,
    name: found.name || found.id,
    cores: number(of(TYPE.cpu)[0], "number of processors"),
    memory: number(memory, "memory") * unitBytes(memory!["AllocationUnits"] ?? "byte"),
    disks: of(TYPE.disk).map((i, at) => {
      const reference = /^ovf:\/disk\/(.+)$|^\/disk\/(.+)$/.exec((i["HostResource"] ?? "").split("\n")[0]!);
      const id = reference?.[1] ?? reference?.[2] ?? "";
      const disk = disks.get(id);
      if (!disk) throw new OvfError(1, `${found.id} has a disk ${id || at + 1} that no disk section describes`);
      const bytes = Number(disk.capacity) * unitBytes(disk.units);
      if (!Number.isFinite(bytes) || bytes <= 0) throw new OvfError(1, `disk ${id} has no capacity that can be read (${disk.capacity.slice(0, 40)})`);
      return { id, bytes, usedBytes: disk.populated === null ? null : Number(disk.populated), file: disk.file === null ? null : safeFile(files.get(disk.file) ?? "") };
    }),
    networks: of(TYPE.ethernet).flatMap((i) => (i["Connection"] ?? "").split("\n").filter(Boolean)),
    firmware: found.firmware,
  };
}

/** `byte * 2^30`, `byte*10^9`, `MegaBytes`: programmatic units of DSP0004 annex C.1, and words of old descriptors. */
export function unitBytes(units: string): number {
  const programmatic = /^byte(?:\s*\*\s*(2|10)\s*\^\s*(\d{1,2}))?$/.exec(units.trim());
  if (programmatic) return programmatic[1] ? Number(programmatic[1]) ** Number(programmatic[2]) : 1;
  const old = { kilobytes: 2 ** 10, megabytes: 2 ** 20, gigabytes: 2 ** 30 }[units.trim().toLowerCase()];
  if (old) return old;
  throw new OvfError(1, `${units.slice(0, 40)} is no unit that is known here; write one such as byte * 2^30`);
}

/** A reference to a file beside the descriptor, never to one elsewhere. */
function safeFile(href: string): string {
  if (href === "" || href.includes("\0") || /^[a-z][a-z0-9+.-]*:/i.test(href) || href.startsWith("/") || href.includes("\\") || href.split("/").includes("..")) throw new OvfError(1, `${JSON.stringify(href.slice(0, 60))} does not lie beside the descriptor`);
  return href;
}
