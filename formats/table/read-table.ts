import { gatherFlows, type ObservedFlow, type Protocol, PROTOCOLS } from "#core/estate/flow.ts";
import type { Estate } from "#core/estate/model.ts";
import { parseInstant } from "#core/outage/question.ts";
import { DURATION_PATTERN, RATE_PATTERN, SIZE_PATTERN } from "../estate/quantities.ts";
import type { RawEstate } from "../estate/raw-estate.ts";
import { EstateFileError, estateFromRaw } from "../estate/read-estate.ts";
import { toRaw } from "../estate/write-estate.ts";
import { ASSUMED_RAW, type Column, COLUMNS, guessMapping, type TableKind } from "./columns.ts";
import { readCsv, TableFileError } from "./read-csv.ts";

export type TableFault = { line: number; column: string | null; message: string };
export type TableReading = {
  heads: string[];
  /** For every head the column it is taken for, or null. */
  mapping: (string | null)[];
  rows: number;
  faults: TableFault[];
  /** How many new items were given values that the table does not state, in words. */
  assumed: string[];
  /** What there is with the rows put in; null where anything is wrong. */
  estate: Estate | null;
  /** Connections that were seen, of a table of them: no part of the estate. */
  flows: ObservedFlow[];
};

const MOST_FAULTS = 200;
const PATTERNS = { size: new RegExp(SIZE_PATTERN), duration: new RegExp(DURATION_PATTERN), rate: new RegExp(RATE_PATTERN) };
const EXAMPLES = { size: "64 GiB", duration: "15 min", rate: "6 GiB/h" };

type Values = Record<string, string | number | string[]>;

/**
 * Reads a table of machines, services, dependencies or observed flows over an estate: rows of known ids change the
 * stated columns only, others are new. Nothing is guessed but the meaning of heads, where no
 * mapping is given. Throws `TableFileError` for what is no table at all.
 */
export async function readTable(bytes: Uint8Array, kind: TableKind, over: Estate, asked: (string | null)[] | null = null): Promise<TableReading> {
  const faults: TableFault[] = [];
  const say = (line: number, column: string | null, message: string): void => void (faults.length < MOST_FAULTS && faults.push({ line, column, message }));
  const raw = toRaw(over);
  const put = PUT[kind](raw);
  const lineOf = new Map<string, number>();
  let heads: string[] | undefined;
  let mapping: (string | null)[] = [];
  let columns: (Column | null)[] = [];
  let rows = 0;
  for await (const { line, cells } of readCsv(bytes)) {
    if (!heads) {
      heads = cells.map((c) => c.trim());
      mapping = asked?.length === heads.length ? asked : guessMapping(kind, heads);
      columns = mapping.map((id) => COLUMNS[kind].find((c) => c.id === id) ?? null);
      for (const column of COLUMNS[kind]) {
        const times = mapping.filter((id) => id === column.id).length;
        if (times > 1) say(line, column.words, "two columns are taken for this; choose one");
        if (times === 0 && column.needed) say(line, column.words, "no column is taken for this, and it is needed");
      }
      if (faults.length > 0) break;
      continue;
    }
    rows++;
    const values: Values = {};
    let sound = true;
    columns.forEach((column, i) => {
      const text = cells[i]?.trim() ?? "";
      if (!column || text === "") return;
      const value = readCell(column, text, heads![i]!);
      if (value instanceof Error) {
        sound = false;
        say(line, heads![i]!, value.message);
      } else values[column.id] = value;
    });
    if (!sound) continue;
    const refused = put.row(values, (path) => lineOf.set(path, line));
    if (refused) say(line, refused.column, refused.message);
  }
  if (!heads) throw new TableFileError(1, "the file is empty; its first row names the columns");
  const reading = { heads, mapping, rows, faults, assumed: put.assumed(), estate: null, flows: [] as ObservedFlow[] };
  if (faults.length > 0) return reading;
  try {
    return { ...reading, estate: kind === "flows" ? over : estateFromRaw(raw).estate, flows: gatherFlows(put.flows?.() ?? []) };
  } catch (error) {
    if (!(error instanceof EstateFileError)) throw error;
    const own = error.faults.map(({ path, message }) => ({ line: lineOf.get(path.split("/").slice(0, 3).join("/")) ?? 0, column: path.split("/").slice(3).join(" ") || null, message }));
    return { ...reading, faults: own };
  }
}

/** One cell by what its column means; an error says what would be right. */
export function readCell(column: Column, text: string, head: string): string | number | string[] | Error {
  const shown = JSON.stringify(text.slice(0, 60));
  switch (column.meaning) {
    case "text":
      return text;
    case "id":
      return /^[a-z][a-z0-9-]*$/.test(text) ? text : new Error(`${shown} is no id; ids are small letters, digits and hyphens`);
    case "ids": {
      const ids = text.split(/[\s,;]+/).filter(Boolean);
      const wrong = ids.find((id) => !/^[a-z][a-z0-9-]*$/.test(id));
      return wrong ? new Error(`${JSON.stringify(wrong)} is no id; ids are small letters, digits and hyphens`) : ids;
    }
    case "whole":
      return /^[0-9]{1,6}$/.test(text) ? Number(text) : new Error(`${shown} is no whole number`);
    case "share": {
      const [, number, percent] = /^([0-9]+(?:\.[0-9]+)?) ?(%?)$/.exec(text) ?? [];
      const share = Number(number) / (percent ? 100 : 1);
      return share > 0 && share <= 1 ? share : new Error(`${shown} is no share; write 0.6 or 60 %`);
    }
    case "strength":
      return text === "hard" || text === "soft" ? text : new Error(`${shown} should be hard or soft`);
    case "protocol":
      return (PROTOCOLS as readonly string[]).includes(text.toLowerCase()) ? text.toLowerCase() : new Error(`${shown} should be tcp or udp`);
    case "count":
      return /^[0-9]{1,15}$/.test(text) ? Number(text) : new Error(`${shown} is no number of connections`);
    case "instant": {
      const at = parseInstant(text.replace(" ", "T"));
      return at ?? new Error(`${shown} is no instant with its offset; write one such as 2026-11-24T10:00:00Z`);
    }
    case "check":
      return ["http", "tcp", "name"].includes(text) ? text : new Error(`${shown} should be http, tcp or name`);
    case "size":
    case "duration":
    case "rate": {
      const pattern = PATTERNS[column.meaning];
      if (pattern.test(text)) return text;
      // A bare number is taken in the unit that its head names, and in no other.
      const unit = /[([]([^)\]]+)[)\]]\s*$/.exec(head)?.[1]?.trim();
      const whole = unit ? `${text} ${unit}` : text;
      if (unit && pattern.test(whole)) return whole;
      return new Error(`${shown} is no ${column.meaning}; write one such as ${EXAMPLES[column.meaning]}, or name the unit in the head: ${column.words} (${EXAMPLES[column.meaning].split(" ")[1]})`);
    }
  }
}

type Refusal = { column: string | null; message: string } | undefined;
type Putting = { row: (values: Values, note: (path: string) => void) => Refusal; assumed: () => string[]; flows?: () => ObservedFlow[] };

/** How the rows of each kind are put into an estate; a refusal leaves it unchanged. */
const PUT: Record<TableKind, (raw: RawEstate) => Putting> = { machines: putMachines, services: putServices, dependencies: putDependencies, flows: putFlows };

/** A row names its item, and no earlier row did. */
function nameFault(kind: "machines" | "services", id: string, seen: Set<string>): Refusal {
  const { words } = COLUMNS[kind][0]!;
  if (!id) return { column: words, message: `the ${words} is not named` };
  if (seen.has(id)) return { column: words, message: `${id} stands in an earlier row too` };
  seen.add(id);
  return undefined;
}

function missingOf(kind: "machines" | "services", id: string, values: Values): Refusal {
  const missing = COLUMNS[kind].find((c) => c.needed && values[c.id] === undefined);
  return missing && { column: missing.words, message: `${id} is new, so its ${missing.words} is needed` };
}

function putMachines(raw: RawEstate): Putting {
  const at = new Map(raw.machines.map((m) => [m.id, m]));
  const seen = new Set<string>();
  let assumed = 0;
  return {
    row(v, note) {
      const id = String(v["id"] ?? "");
      const old = at.get(id);
      const wrong = nameFault("machines", id, seen) ?? (old ? undefined : missingOf("machines", id, v));
      if (wrong) return wrong;
      if (!old) {
        if (["hot", "written", "grown", "reduction", "prepare", "boot", "used"].some((key) => v[key] === undefined)) assumed++;
      } else if (old.disks.length > 1 && (v["size"] !== undefined || v["used"] !== undefined)) return { column: "disk size", message: `${id} has ${old.disks.length} disks, and a row tells of one; leave its disk cells empty` };
      const size = String(v["size"] ?? old?.disks[0]!.size);
      const change = old?.change ?? ASSUMED_RAW.change;
      const machine: RawEstate["machines"][number] = {
        ...ASSUMED_RAW,
        ...old,
        id,
        ...only(v, ["name", "host", "cores", "memory", "reduction", "prepare", "boot"]),
        ...(!old || old.disks.length === 1 ? { disks: [{ id: old?.disks[0]!.id ?? "system", size, used: String(v["used"] ?? old?.disks[0]!.used ?? size) }] } : {}),
        change: { ...change, ...only(v, ["hot", "written", "grown"]) },
      } as RawEstate["machines"][number];
      if (old) Object.assign(old, machine);
      else raw.machines.push(machine);
      note(`/machines/${id}`);
      return undefined;
    },
    assumed: () => (assumed === 0 ? [] : [`Of ${assumed} new ${assumed === 1 ? "machine" : "machines"} something is not stated and is assumed: disks full; ${ASSUMED_RAW.change.written} written over ${ASSUMED_RAW.change.hot}, ${ASSUMED_RAW.change.grown} grown; reduction ${ASSUMED_RAW.reduction}; made in ${ASSUMED_RAW.prepare}, started in ${ASSUMED_RAW.boot}.`]),
  };
}

function putServices(raw: RawEstate): Putting {
  const at = new Map(raw.services.map((s) => [s.id, s]));
  const seen = new Set<string>();
  let assumed = 0;
  return {
    row(v, note) {
      const id = String(v["id"] ?? "");
      const old = at.get(id);
      const wrong = nameFault("services", id, seen) ?? (old ? undefined : missingOf("services", id, v));
      if (wrong) return wrong;
      if (!old && ["serviceName", "check", "tell"].some((key) => v[key] === undefined)) assumed++;
      const fresh = { name: id, serviceName: id, tell: v["owner"] };
      const service = {
        ...(old ?? fresh),
        id,
        ...only(v, ["name", "tier", "owner", "rto", "rpo", "mtd", "wrt", "machines", "serviceName", "tell"]),
        checks: v["check"] === undefined && old ? old.checks : [{ kind: v["check"] ?? "tcp", takes: old?.checks?.[0]?.takes ?? "20 s" }],
      } as RawEstate["services"][number];
      if (old) Object.assign(old, service);
      else raw.services.push(service);
      note(`/services/${id}`);
      return undefined;
    },
    assumed: () => (assumed === 0 ? [] : [`Of ${assumed} new ${assumed === 1 ? "service" : "services"} something is not stated and is assumed: found by its id, checked by a TCP connection of 20 s, its owner is told.`]),
  };
}

function putDependencies(raw: RawEstate): Putting {
  const at = new Map(raw.services.map((s) => [s.id, s]));
  return {
    row(v, note) {
      const [id, needs] = [String(v["service"] ?? ""), String(v["needs"] ?? "")];
      const service = at.get(id);
      if (!service) return { column: "service", message: id ? `there is no service ${id}` : "the service is not named" };
      if (!at.has(needs)) return { column: "needs", message: needs ? `there is no service ${needs}` : "what it needs is not named" };
      const strength = (v["strength"] ?? "hard") as "hard" | "soft";
      const others = (service.dependsOn ?? []).filter((d) => d.service !== needs);
      service.dependsOn = [...others, { service: needs, strength }];
      note(`/services/${id}`);
      return undefined;
    },
    assumed: () => [],
  };
}

const only = (values: Values, keys: readonly string[]): Values => Object.fromEntries(keys.flatMap((key) => (values[key] === undefined ? [] : [[key, values[key]]])));

/** Between machines of the estate only; how often is once where it is not stated. */
function putFlows(raw: RawEstate): Putting {
  const machines = new Set(raw.machines.map((m) => m.id));
  const flows: ObservedFlow[] = [];
  return {
    row(v) {
      const { from, to, port, lastSeen } = v as { from?: string; to?: string; port?: number; lastSeen?: number };
      if (!from || !machines.has(from)) return { column: "from machine", message: from ? `there is no machine ${from}` : "the machine it comes from is not named" };
      if (!to || !machines.has(to)) return { column: "to machine", message: to ? `there is no machine ${to}` : "the machine it goes to is not named" };
      if (from === to) return { column: "to machine", message: `${from} cannot depend on itself; leave the row out` };
      if (port === undefined || port < 1 || port > 65_535) return { column: "port", message: "a port is a number from 1 to 65535" };
      if (lastSeen === undefined) return { column: "last seen", message: "when it was last seen is not stated" };
      flows.push({ from, to, port, protocol: (v["protocol"] ?? "tcp") as Protocol, connections: Number(v["connections"] ?? 1), lastSeen });
      return undefined;
    },
    assumed: () => [],
    flows: () => flows,
  };
}
