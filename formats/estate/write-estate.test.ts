import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Estate } from "#core/estate/model.ts";
import { GIB, smallEstate } from "#core/tests/small-estate.ts";
import { readDuration, readRate, readSize, writeDuration, writeRate, writeSize } from "./quantities.ts";
import { readEstate } from "./read-estate.ts";
import { demoText } from "./tests/demo-text.ts";
import { updateEstateYaml, writeEstateJson, writeEstateYaml } from "./write-estate.ts";

const demo = (): Estate => readEstate(demoText()).estate;
const name = fc.string({ minLength: 1, maxLength: 20 }).filter((s) => s.trim() === s && s.length > 0);

/** The demo with figures and words of any kind put in. */
const estates = fc
  .record({ names: fc.array(name, { minLength: 4, maxLength: 4 }), numbers: fc.array(fc.double({ min: 0.001, max: 1e15, noNaN: true }), { minLength: 6, maxLength: 6 }), whole: fc.array(fc.integer({ min: 1, max: 2 ** 45 }), { minLength: 4, maxLength: 4 }) })
  .map(({ names, numbers, whole }) => {
    const e = demo();
    e.organisation.name = names[0]!;
    Object.assign(e.sites[0]!, { name: names[1], timeZone: "Europe/Helsinki" });
    Object.assign(e.machines[3]!, { name: names[2], memory: whole[0] });
    e.machines[3]!.disks[0] = { id: "system", size: whole[1]!, used: Math.floor(whole[1]! / 3) };
    e.machines[3]!.prepare = numbers[0]!;
    e.services[2]!.tell = names[3]!;
    e.services[2]!.rto = numbers[1]!;
    e.services[2]!.mtd = null;
    e.stores[0]!.readRate = numbers[2]!;
    e.hosts[0]!.poolRate = whole[2]!;
    e.hazards = [{ id: "cable", name: names[1]!, kind: "cable", takes: [e.sites[0]!.id, e.links[0]!.id] }];
    return e;
  });

describe("an estate that is written", () => {
  it("reads back as the same, as YAML and as JSON", () => {
    fc.assert(
      fc.property(estates, (estate) => {
        expect(readEstate(writeEstateYaml(estate)).estate).toEqual(estate);
        expect(readEstate(writeEstateJson(estate)).estate).toEqual(estate);
      }),
      { numRuns: 15 },
    );
  });

  it("has quantities that read back exactly, in the unit a person would take", () => {
    expect([writeSize(1.5 * 2 ** 40), writeSize(300 * 2 ** 20), writeDuration(900), writeDuration(90), writeRate(250_000_000), writeRate(480 * 2 ** 20)]).toEqual(["1.5 TiB", "300 MiB", "15 min", "90 s", "2 Gbit/s", "480 MiB/s"]);
    fc.assert(fc.property(fc.maxSafeNat(), (n) => void expect(readSize(writeSize(n))).toBe(n)));
    fc.assert(fc.property(fc.double({ min: 1e-6, max: 1e12, noNaN: true }), (x) => void expect([readDuration(writeDuration(x)), readRate(writeRate(x))]).toEqual([x, x])));
  });
});

describe("a file that is brought to an estate in place", () => {
  it("stays byte for byte as it is where nothing differs", () => {
    expect(updateEstateYaml(demoText(), demo())).toBe(readable(demoText()));
  });

  it("reads as the wanted estate and keeps the comments of all that stays", () => {
    fc.assert(
      fc.property(estates, fc.nat(12), (estate, gone) => {
        const text = demoText().replace("services:\n", "# who needs what\nservices:\n");
        estate.policies = [];
        estate.services = estate.services.filter((s) => !s.dependsOn.length).slice(0, 2);
        estate.machines.splice(gone, 1);
        for (const s of estate.services) Object.assign(s, { machines: estate.machines.slice(0, 1).map((m) => m.id), checks: s.checks.filter((c) => !c.machine) });
        estate.groups = [];
        const updated = updateEstateYaml(text, estate);
        expect(readEstate(updated).estate).toEqual(estate);
        expect(updated).toContain("# who needs what");
        expect(updated).toContain("# Tern Sound Ferries: an invented company.");
      }),
      { numRuns: 14 },
    );
  });

  it("changes one line for one figure, and keeps another writing of the same quantity", () => {
    const estate = demo();
    estate.machines.find((m) => m.id === "booking-db")!.memory = 128 * GIB;
    const lines = updateEstateYaml(demoText(), estate).split("\n");
    const before = readable(demoText()).split("\n");
    expect(lines.filter((line, i) => line !== before[i])).toEqual([expect.stringContaining("memory: 128 GiB")]);
    expect(lines.find((l) => l.includes("nameSwitch"))).toContain("60 s");
  });

  it("takes points along, which are no part of the estate", () => {
    const text = `${writeEstateYaml(smallEstate((e) => (e.organisation.id = "org")))}points:\n  - { machine: db, capturedAt: "2026-11-24T10:00:00Z", stores: [yd] }\n`;
    const { estate, points } = readEstate(text);
    estate.machines[0]!.cores = 7;
    expect(readEstate(updateEstateYaml(text, estate)).points).toEqual(points);
  });
});

/** The demo as the YAML library writes it, comments and all: its own spacing, nothing of ours. */
const readable = (text: string): string => updateEstateYaml(text, readEstate(text).estate);
