import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { difference } from "#core/estate/difference.ts";
import { GIB, smallEstate } from "#core/tests/small-estate.ts";
import type { TableKind } from "./columns.ts";
import { readCsv, TableFileError } from "./read-csv.ts";
import { readTable, type TableReading } from "./read-table.ts";

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
async function rows(of: Uint8Array): Promise<string[][]> {
  const all: string[][] = [];
  for await (const { cells } of readCsv(of)) all.push(cells);
  return all;
}
const over = (): ReturnType<typeof smallEstate> => smallEstate((e) => (e.organisation.id = "org"));
const read = (kind: TableKind, text: string, mapping: (string | null)[] | null = null): Promise<TableReading> => readTable(bytes(text), kind, over(), mapping);
const said = (r: TableReading): string[] => r.faults.map((f) => `${f.line} ${f.column}: ${f.message}`);

describe("comma-separated values", () => {
  it("are read as the published samples say (csv-spectrum)", async () => {
    const folder = "node_modules/csv-spectrum";
    const names = readdirSync(join(folder, "csvs")).map((n) => n.replace(/\.csv$/, ""));
    expect(names.length).toBeGreaterThan(10);
    // One of them has bare quotes in cells, which RFC 4180 does not allow.
    await expect(rows(readFileSync(join(folder, "csvs/location_coordinates.csv")))).rejects.toThrow(/a quote stands inside a cell/);
    for (const name of names.filter((n) => n !== "location_coordinates")) {
      const [heads, ...cells] = await rows(readFileSync(join(folder, "csvs", `${name}.csv`)));
      const objects = cells.map((row) => Object.fromEntries(heads!.map((h, i) => [h, row[i]])));
      expect(objects, name).toEqual(JSON.parse(readFileSync(join(folder, "json", `${name}.json`), "utf8")));
    }
  });

  it("come back whatever cells hold, with any of the separators", async () => {
    const cell = fc.string({ unit: "grapheme", maxLength: 12 }).filter((s) => !s.includes("\r"));
    const table = fc.tuple(fc.array(fc.array(cell, { minLength: 3, maxLength: 3 }), { minLength: 1, maxLength: 8 }), fc.constantFrom(",", ";", "\t"), fc.boolean());
    await fc.assert(
      fc.asyncProperty(table, async ([body, separator, mark]) => {
        const all = [["one", "two", "three"], ...body];
        const text = all.map((row) => row.map((c) => `"${c.replaceAll('"', '""')}"`).join(separator)).join("\r\n");
        expect(await rows(bytes((mark ? "\uFEFF" : "") + text))).toEqual(all);
      }),
    );
  });

  it("are refused with the line: other encodings, quotes that do not fit, rows of other lengths", async () => {
    const refused = async (of: Uint8Array): Promise<string> => rows(of).then(() => "read", (e: unknown) => (e instanceof TableFileError ? `${e.line}: ${e.message}` : `foreign: ${String(e)}`));
    expect(await refused(Buffer.from("a,b\nh\u00fclle,2\n", "latin1"))).toMatch(/^1: the file is not in UTF-8 near here/);
    expect(await refused(Buffer.from("\uFEFFa,b\n", "utf16le"))).toMatch(/^1: the file is in UTF-16/);
    expect(await refused(bytes("a,b\n1,2\n3\n"))).toMatch(/^3: this row has another number of cells/);
    expect(await refused(bytes('a,b\n1,"2\n3,4\n'))).toMatch(/a quote is opened and never closed/);
    expect(await refused(bytes('a,b\n1,x"y"\n'))).toMatch(/^2: a quote stands inside a cell/);
    expect(await refused(bytes(`a,b\n1,"${"x".repeat(300_000)}\n`))).toMatch(/a row is longer than/);
  });
});

describe("a table of machines", () => {
  it("adds the new and changes only what it states of the known, with units from cells or heads", async () => {
    const r = await read("machines", "Hostname;Host;vCPUs;Memory (GiB);Disk [GiB];Used;Remark\ndb;;6;;;;grown\nshop-1;y1;2;8;100;40 GiB;\n");
    expect(r.mapping).toEqual(["id", "host", "cores", "memory", "size", "used", null]);
    expect(said(r)).toEqual([]);
    const changes = difference(over(), r.estate!);
    expect(changes).toEqual([
      { kind: "machines", id: "db", change: "changes", fields: [{ path: "cores", before: 4, after: 6 }] },
      { kind: "machines", id: "shop-1", change: "appears", fields: [] },
    ]);
    expect(r.estate!.machines.find((m) => m.id === "shop-1")).toMatchObject({ host: "y1", cores: 2, memory: 8 * GIB, disks: [{ id: "system", size: 100 * GIB, used: 40 * GIB }], reduction: 0.6 });
    expect(r.assumed.join()).toMatch(/^Of 1 new machine something is not stated and is assumed: /);
  });

  it("is refused whole with row, column and what would be right", async () => {
    const heads = "machine,host,cores,memory,disk size,disk used\n";
    expect(said(await read("machines", `${heads}Web 9,y1,2,8 GiB,9 GiB,1 GiB\n`))).toEqual(['2 machine: "Web 9" is no id; ids are small letters, digits and hyphens']);
    expect(said(await read("machines", `${heads}a,y1,two,8,-9 GiB,\n`))).toEqual([
      '2 cores: "two" is no whole number',
      '2 memory: "8" is no size; write one such as 64 GiB, or name the unit in the head: memory (GiB)',
      '2 disk size: "-9 GiB" is no size; write one such as 64 GiB, or name the unit in the head: disk size (GiB)',
    ]);
    expect(said(await read("machines", `${heads}a,moon,2,8 GiB,9 GiB,1 GiB\nb,y1,2,8 GiB,9 GiB,10 GiB\n`))).toEqual(["2 host: there is no host moon; known are q1, y1", "3 disks system used: 10 GiB are used of a disk of 9 GiB; used must not be larger than size"]);
    expect(said(await read("machines", `${heads}a,y1,2,8 GiB,9 GiB,\na,y1,2,8 GiB,9 GiB,\n`))).toEqual(["3 machine: a stands in an earlier row too"]);
    expect(said(await read("machines", `${heads}a,y1,2,,9 GiB,\n`))).toEqual(["2 memory: a is new, so its memory is needed"]);
    expect(said(await read("machines", "server,cpu\na,2\n"))).toEqual(["1 host: no column is taken for this, and it is needed", "1 memory: no column is taken for this, and it is needed", "1 disk size: no column is taken for this, and it is needed"]);
    expect(said(await read("machines", "x,y,host,cores,memory,disk size\na,b,y1,1,1 GiB,1 GiB\n", ["id", "id", "host", "cores", "memory", "size"]))).toEqual(["1 machine: two columns are taken for this; choose one"]);
    await expect(read("machines", "")).rejects.toThrow("the file is empty");
    for (const r of [await read("machines", `${heads}a,moon,2,8 GiB,9 GiB,1 GiB\n`)]) expect(r.estate).toBeNull();
  });
});

describe("tables of services and dependencies", () => {
  it("are put in, the loosest first", async () => {
    const services = await read("services", "service,tier,owner,rto (min),rpo (min),machines,check\nshop,2,sales,60,15,web; db,http\nsite,3,sales,60,15,,\n");
    expect(said(services)).toEqual([]);
    expect(services.estate!.services.find((s) => s.id === "shop")).toMatchObject({ rto: 3_600, rpo: 900, machines: ["web", "db"], checks: [{ kind: "http", seconds: 20 }], tell: "sales" });
    expect(services.estate!.services.find((s) => s.id === "site")).toMatchObject({ tier: 3, machines: ["web"], dependsOn: [{ service: "data", strength: "hard" }] });
    const needs = await read("dependencies", "service,needs,strength\nsite,data,soft\ndata,site,\n");
    expect(needs.estate!.services.map((s) => s.dependsOn)).toEqual([[{ service: "site", strength: "hard" }], [{ service: "data", strength: "soft" }]]);
    expect(said(await read("dependencies", "service,needs,strength\nsite,data,firm\nmoon,data,\nsite,site,\n"))).toEqual(['2 strength: "firm" should be hard or soft', "3 service: there is no service moon"]);
    expect(said(await read("dependencies", "service,needs\nsite,site\n"))).toEqual(["2 dependsOn 1 service: a service cannot depend on itself"]);
  });
});

describe("tables of observed flows", () => {
  it("are gathered by their ends and ports, and leave the estate as it is", async () => {
    const reading = await read("flows", "source,destination,dst port,proto,hits,time\ndb,web,443,TCP,5,2026-03-01T10:00:00Z\ndb,web,443,tcp,7,2026-03-02 10:00:00+02:00\nweb,db,5432,,,2026-03-01T09:00:00Z\n");
    expect(reading.faults).toEqual([]);
    expect(reading.flows).toEqual([
      { from: "db", to: "web", protocol: "tcp", port: 443, connections: 12, lastSeen: Date.UTC(2026, 2, 2, 8) },
      { from: "web", to: "db", protocol: "tcp", port: 5432, connections: 1, lastSeen: Date.UTC(2026, 2, 1, 9) },
    ]);
    expect(difference(over(), reading.estate!)).toEqual([]);
  });

  it("name the row of what cannot be one", async () => {
    const heads = "from,to,port,protocol,count,last seen\n";
    expect(said(await read("flows", `${heads}moon,db,1,,,2026-03-01T09:00:00Z\ndb,db,1,,,2026-03-01T09:00:00Z\ndb,web,70000,,,2026-03-01T09:00:00Z\ndb,web,1,icmp,,2026-03-01T09:00:00Z\ndb,web,1,,-3,2026-03-01T09:00:00Z\ndb,web,1,,,yesterday\n`))).toEqual([
      "2 from machine: there is no machine moon",
      "3 to machine: db cannot depend on itself; leave the row out",
      "4 port: a port is a number from 1 to 65535",
      '5 protocol: "icmp" should be tcp or udp',
      '6 count: "-3" is no number of connections',
      '7 last seen: "yesterday" is no instant with its offset; write one such as 2026-11-24T10:00:00Z',
    ]);
  });
});
