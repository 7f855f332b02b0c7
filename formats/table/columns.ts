import { ASSUMED_MACHINE } from "#core/estate/assumed.ts";
import { writeDuration, writeRate, writeSize } from "../estate/quantities.ts";
import type { RawEstate } from "../estate/raw-estate.ts";

/** What a table may tell about, and what each of its columns may mean. */
export const TABLE_KINDS = ["machines", "services", "dependencies", "flows"] as const;
export type TableKind = (typeof TABLE_KINDS)[number];

type Meaning = "text" | "id" | "ids" | "whole" | "share" | "size" | "duration" | "rate" | "strength" | "check" | "protocol" | "count" | "instant";
export type Column = { id: string; words: string; meaning: Meaning; needed: boolean; heads: readonly string[] };

const column = (id: string, words: string, meaning: Meaning, needed: boolean, ...heads: string[]): Column => ({ id, words, meaning, needed, heads: [id.toLowerCase(), words.toLowerCase(), ...heads] });

export const COLUMNS: Record<TableKind, readonly Column[]> = {
  machines: [
    column("id", "machine", "id", true, "machine id", "hostname", "vm", "server"),
    column("name", "name", "text", false, "display name"),
    column("host", "host", "id", true, "runs on"),
    column("cores", "cores", "whole", true, "cpu", "cpus", "vcpus", "vcpu"),
    column("memory", "memory", "size", true, "ram"),
    column("size", "disk size", "size", true, "disk", "disks", "provisioned"),
    column("used", "disk used", "size", false, "used", "in use"),
    column("hot", "hot set", "size", false),
    column("written", "written per hour", "rate", false, "change rate", "changed per hour"),
    column("grown", "grown per hour", "rate", false, "growth"),
    column("reduction", "reduction", "share", false),
    column("prepare", "time to make it", "duration", false, "prepare"),
    column("boot", "time to start it", "duration", false, "boot"),
  ],
  services: [
    column("id", "service", "id", true, "service id"),
    column("name", "name", "text", false, "service name", "title"),
    column("tier", "tier", "whole", true, "priority"),
    column("owner", "owner", "text", true, "responsible"),
    column("rto", "rto", "duration", true, "recovery time objective"),
    column("rpo", "rpo", "duration", true, "recovery point objective"),
    column("mtd", "mtd", "duration", false, "maximum tolerable downtime"),
    column("wrt", "wrt", "duration", false, "work recovery time"),
    column("machines", "machines", "ids", true, "servers"),
    column("serviceName", "service name", "text", false, "dns name", "address"),
    column("check", "check", "check", false),
    column("tell", "whom to tell", "text", false, "tell", "inform"),
  ],
  dependencies: [
    column("service", "service", "id", true, "from"),
    column("needs", "needs", "id", true, "depends on", "to"),
    column("strength", "strength", "strength", false, "kind"),
  ],
  flows: [
    column("from", "from machine", "id", true, "from", "source", "src", "client"),
    column("to", "to machine", "id", true, "to", "destination", "dst", "target"),
    column("port", "port", "whole", true, "destination port", "dst port", "to port"),
    column("protocol", "protocol", "protocol", false, "proto"),
    column("connections", "connections", "count", false, "count", "hits"),
    column("lastSeen", "last seen", "instant", true, "time", "last", "timestamp"),
  ],
};

/** What is assumed of a new item whose table does not say it, as a file would write it. */
export const ASSUMED_RAW: Pick<RawEstate["machines"][number], "change" | "reduction" | "prepare" | "boot"> = {
  change: { hot: writeSize(ASSUMED_MACHINE.change.hot), written: writeRate(ASSUMED_MACHINE.change.written / 3_600), grown: writeRate(ASSUMED_MACHINE.change.grown / 3_600) },
  reduction: ASSUMED_MACHINE.reduction,
  prepare: writeDuration(ASSUMED_MACHINE.prepare),
  boot: writeDuration(ASSUMED_MACHINE.boot),
};

/** The column every head seems to mean; a unit in brackets is left aside. */
export function guessMapping(kind: TableKind, heads: readonly string[]): (string | null)[] {
  const taken = new Set<string>();
  return heads.map((head) => {
    const bare = head.toLowerCase().replace(/[([].*$/, "").replaceAll(/[_-]+/g, " ").trim();
    const found = COLUMNS[kind].find((c) => !taken.has(c.id) && c.heads.includes(bare));
    if (found) taken.add(found.id);
    return found?.id ?? null;
  });
}
