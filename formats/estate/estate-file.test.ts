import { readFileSync } from "node:fs";
import { Ajv2020 } from "ajv/dist/2020.js";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { parse, stringify } from "yaml";
import { byId } from "#core/estate/model.ts";
import { DURATION_PATTERN, RATE_PATTERN, readClock, readDuration, readRate, readSize, SIZE_PATTERN } from "./quantities.ts";
import { EstateFileError, readEstate } from "./read-estate.ts";
import { ESTATE_SCHEMA } from "./schema.ts";
import { demoText } from "./tests/demo-text.ts";

const demo = (): Record<string, never> => parse(demoText()) as Record<string, never>;
type Raw = Record<string, { id: string; [key: string]: unknown }[]>;

function faultsOf(change: (raw: Raw) => void): { path: string; line: number; message: string }[] {
  const raw = demo() as unknown as Raw;
  change(raw);
  return faultsIn(stringify(raw));
}

function faultsIn(text: string): { path: string; line: number; message: string }[] {
  try {
    readEstate(text);
  } catch (error) {
    if (error instanceof EstateFileError) return [...error.faults];
    throw error;
  }
  throw new Error("it was accepted");
}

describe("the estate schema", () => {
  it("is a valid JSON Schema 2020-12 by the meta-schema, is published as such, and accepts the demo", () => {
    const ajv = new Ajv2020({ strict: false, validateFormats: false });
    expect(ajv.validateSchema(ESTATE_SCHEMA)).toBe(true);
    expect(JSON.parse(readFileSync("docs/estate.schema.json", "utf8"))).toEqual(JSON.parse(JSON.stringify(ESTATE_SCHEMA)));
    expect(ajv.compile(ESTATE_SCHEMA)(demo())).toBe(true);
  });

  it("describes at least 8 services, 14 machines, three rooms and a region in the demo, and a coordinator copied elsewhere", () => {
    const { estate, points } = readEstate(demoText());
    expect(points).toBeNull();
    expect(estate.services.length).toBeGreaterThanOrEqual(8);
    expect(estate.machines.length).toBeGreaterThanOrEqual(14);
    expect(estate.sites.filter((s) => s.kind === "room")).toHaveLength(3);
    expect(estate.sites.filter((s) => s.kind === "region").length).toBeGreaterThanOrEqual(1);
    expect(estate.coordinator.site).toBe("tern-quay");
    expect(estate.coordinator.copy.site).not.toBe("tern-quay");
    const link = byId(estate.links).get("quay-yard")!;
    expect(link).toMatchObject({ rate: 250_000_000, limits: [{ days: [1, 2, 3, 4, 5], from: 420, to: 1_140, rate: 125_000_000 }] });
    expect(byId(estate.machines).get("booking-db")!.change).toEqual({ hot: 40 * 2 ** 30, written: 14 * 2 ** 30, grown: 512 * 2 ** 20 });
  });

  it("refuses networks, stores, platforms and keys that cannot be, each with its place and what would be right", () => {
    const item = (raw: Raw, kind: string, id: string): Record<string, unknown> => raw[kind]!.find((x) => x.id === id)!;
    const cases: [(raw: Raw) => void, string, RegExp][] = [
      [(r) => (item(r, "networks", "quay-copies")["range"] = "10.20.128.0/17"), "/networks/quay-copies/range", /overlaps quay-lan \(10\.20\.0\.0\/16\) at the same site/],
      [(r) => (item(r, "networks", "quay-lan")["range"] = "10.20.0.7/16"), "/networks/quay-lan/range", /begins at 10\.20\.0\.0; write 10\.20\.0\.0\/16/],
      [(r) => (item(r, "networks", "quay-copies")["range"] = "10.21.0.0/33"), "/networks/quay-copies/range", /is no range of addresses/],
      [(r) => (item(r, "machines", "names-1")["attached"] = [{ network: "yard-lan" }]), "/machines/names-1/attached/0/network", /is a network of gannet-yard, and names-1 runs at tern-quay/],
      [(r) => (item(r, "machines", "names-1")["attached"] = [{ network: "quay-lan", address: "10.30.0.1" }]), "/machines/names-1/attached/0/address", /does not lie in quay-lan/],
      [(r) => (item(r, "machines", "names-1")["attached"] = structuredClone(item(r, "machines", "ident-1")["attached"])), "/machines/ident-1/attached/0/address", /is names-1's in the same network/],
      [(r) => (item(r, "stores", "north-bucket")["quota"] = "90 TiB"), "/stores/north-bucket/quota", /more than the 40 TiB that there are/],
      [(r) => (item(r, "stores", "north-bucket")["redundancy"] = { copies: 2, secondSite: "fulmar-north", second: "at-will" }), "/stores/north-bucket/redundancy/secondSite", /another site than the store/],
      [(r) => (item(r, "stores", "north-bucket")["redundancy"] = { copies: 2, second: "at-will" }), "/stores/north-bucket/redundancy", /belong together/],
      [(r) => (item(r, "hosts", "tq-1")["platform"] = "reef"), "/hosts/tq-1/platform", /there is no platform reef; known are skerry/],
      [(r) => (item(r, "platforms", "holm")["converts"] = ["holm"]), "/platforms/holm/converts/0", /nothing to convert/],
      [(r) => (item(r, "keys", "archive-passphrase")["opens"] = ["attic"]), "/keys/archive-passphrase/opens/0", /there is no store attic/],
      [(r) => (item(r, "links", "quay-yard")["backRate"] = "-2 Gbit/s"), "/links/quay-yard/backRate", /a rate such as 2 Gbit\/s/],
    ];
    for (const [change, path, words] of cases) {
      const faults = faultsOf(change);
      expect(faults.map((f) => f.path), path).toContain(path);
      const fault = faults.find((f) => f.path === path)!;
      expect(fault.message).toMatch(words);
      expect(fault.line).toBeGreaterThan(1);
    }
    // The same range at two sites is two ranges, and addresses of the sixth version are taken as well.
    expect(() => readEstate(stringify(((r: Raw) => (r["networks"]!.push({ id: "six", name: "Six", site: "gannet-yard", range: "fd00:1::/64", purpose: "staging" }, { id: "same", name: "Same", site: "fulmar-west", range: "10.20.0.0/16", purpose: "staging" }), r))(demo() as unknown as Raw)))).not.toThrow();
  });

  it("reads JSON as it reads YAML", () => {
    expect(readEstate(JSON.stringify(demo()))).toEqual(readEstate(demoText()));
  });

  it("lists points where the file gives them, and says nothing of others", () => {
    const raw = demo() as unknown as Raw;
    raw["points"] = [{ machine: "names-1", capturedAt: "2026-11-24T09:00:00Z", stores: ["yard-disks", "north-bucket"] }] as never;
    expect(readEstate(stringify(raw)).points!.map((p) => [p.machine, p.store, p.capturedAt, p.state])).toEqual([
      ["names-1", "yard-disks", Date.UTC(2026, 10, 24, 9), "whole"],
      ["names-1", "north-bucket", Date.UTC(2026, 10, 24, 9), "whole"],
    ]);
  });
});

describe("a broken estate file", () => {
  const line = (text: string): number => demoText().split("\n").findIndex((l) => l.includes(text)) + 1;
  const edited = (from: string, to: string): { path: string; line: number; message: string }[] => {
    expect(demoText()).toContain(from);
    return faultsIn(demoText().replace(from, to));
  };

  it("is refused with path, line and what would be right", () => {
    expect(edited("decision: 4 min", "decision: 4 minutes")).toEqual([{ path: "/assumptions/decision", line: line("decision: 4 min"), message: '"4 minutes" should be a duration such as 15 min' }]);
    expect(edited("id: names-1, host: tq-1", "id: names-1, host: tq-9")).toEqual([{ path: "/machines/names-1/host", line: line("id: names-1, host"), message: expect.stringMatching(/^there is no host tq-9; known are tq-1, tq-2/) as string }]);
    expect(edited("coordinator:\n  site: tern-quay", "coordinator:\n  site: tern-qay")[0]).toMatchObject({ path: "/coordinator/site", line: line("coordinator:") + 1 });
    expect(edited("  crew: 2", "  crew: two")[0]).toMatchObject({ path: "/assumptions/crew", message: '"two" should be of type integer' });
    expect(edited("  crew: 2", "  crews: 2").map((f) => f.message).sort()).toEqual(["crew is missing", "crews is not known here; check its spelling against docs/estate-format.md"]);
    expect(edited("organisation: {", "organisation: [")[0]!.message).toMatch(/^not valid YAML/);
    expect(edited("timeZone: Europe/Tallinn", "timeZone: Europe/Ternland")[0]).toMatchObject({ path: "/organisation/timeZone", message: expect.stringContaining("is no time zone") });
  });

  it("is refused where it contradicts itself", () => {
    const messages = (change: (raw: Raw) => void): string[] => faultsOf(change).map((f) => `${f.path}: ${f.message}`);
    expect(messages((r) => r["machines"]!.push(r["machines"]![0]!))[0]).toMatch(/names-1 is used twice|aliases/);
    expect(messages((r) => ((r["machines"]![0]!["disks"] as { used: string }[])[0]!.used = "30 GiB"))).toEqual(["/machines/names-1/disks/system/used: 30 GiB are used of a disk of 24 GiB; used must not be larger than size"]);
    expect(messages((r) => (r["services"]![0]!["mtd"] = "25 min"))).toEqual(["/services/names/mtd: RTO 20 min and WRT 10 min together pass the MTD of 25 min"]);
    expect(messages((r) => (r["services"]![0]!["dependsOn"] = [{ service: "names", strength: "hard" }]))).toEqual(["/services/names/dependsOn/0/service: a service cannot depend on itself"]);
    expect(messages((r) => (r["links"]![0]!["between"] = ["tern-quay", "tern-quay"]))).toEqual(["/links/quay-yard/between: a link joins two different sites"]);
    expect(messages((r) => ((r as unknown as { coordinator: { copy: { site: string } } }).coordinator.copy.site = "tern-quay"))).toEqual(["/coordinator/copy/site: the coordinator's own copy must lie at another site than the coordinator"]);
    expect(messages((r) => (r["policies"]![0]!["legs"] as { from: string }[]).reverse())[0]).toMatch(/nothing arrives at quay-disks before this leg/);
    expect(messages((r) => (r["policies"]![0]!["every"] = "10 s"))[0]).toMatch(/more often than every minute/);
  });

  it("never makes the reader fail in another way, whatever one line is changed to", () => {
    const lines = demoText().split("\n");
    fc.assert(
      fc.property(fc.nat(lines.length - 1), fc.oneof(fc.string(), fc.constantFrom("- a: [", "&x *x", "a: *b", "? !", "\t- x", "sites: 5", "{}", "%YAML 9", "services:\n")), (at, text) => {
        const changed = [...lines.slice(0, at), text, ...lines.slice(at + 1)].join("\n");
        try {
          readEstate(changed);
        } catch (error) {
          expect(error).toBeInstanceOf(EstateFileError);
          for (const fault of (error as EstateFileError).faults) {
            expect(fault.line).toBeGreaterThanOrEqual(1);
            expect(fault.message).not.toBe("");
          }
        }
      }),
      { numRuns: 50 },
    );
  });
});

describe("quantities", () => {
  it("are one number, a space and a unit", () => {
    expect([readSize("1.5 TiB"), readDuration("15 min"), readRate("2 Gbit/s"), readRate("480 MiB/s"), readClock("07:30")]).toEqual([1.5 * 2 ** 40, 900, 250_000_000, 480 * 2 ** 20, 450]);
    expect(readRate("6 GiB/h")).toBeCloseTo((6 * 2 ** 30) / 3_600, 6);
    for (const bad of ["15min", "-1 h", "1 hour", "", "1e3 s", "5 GB", " 1 s"]) expect([SIZE_PATTERN, DURATION_PATTERN, RATE_PATTERN].some((p) => new RegExp(p).test(bad)), bad).toBe(false);
  });
});
