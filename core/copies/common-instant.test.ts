import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { assessReadiness } from "../readiness/readiness.ts";
import { generateRunbook } from "../runbook/generate.ts";
import { AT, copyOf, smallEstate } from "../tests/small-estate.ts";
import type { CopyFact } from "./copy-fact.ts";
import { groupExposureOver } from "./group-exposure.ts";
import { newestCommon, recoveryCopies } from "./common-instant.ts";

describe("one common instant", () => {
  it("is the newest there is: no other choice within the bound has any point newer", () => {
    const lists = fc.array(fc.uniqueArray(fc.integer({ min: 0, max: 40 }), { minLength: 1, maxLength: 6 }), { minLength: 1, maxLength: 3 });
    fc.assert(
      fc.property(lists, fc.integer({ min: 0, max: 6 }), (given, within) => {
        const points = given.map((list) => [...list].sort((a, b) => b - a).map((p) => p * 1000));
        const all = points.reduce<number[][]>((some, list) => some.flatMap((s) => list.map((p) => [...s, p])), [[]]);
        const agreeing = all.filter((s) => Math.max(...s) - Math.min(...s) <= within * 1000);
        const found = newestCommon(points, within);
        if (agreeing.length === 0) expect(found).toBeNull();
        else for (const other of agreeing) for (const [i, p] of other.entries()) expect(found![i]).toBeGreaterThanOrEqual(p);
      }),
    );
  });
  it("is none for nothing", () => {
    expect(newestCommon([], 0)).toBeNull();
    expect(newestCommon([[5], []], 9)).toBeNull();
  });
});

describe("exposure of a group", () => {
  it("is at every instant the age of what its machines would come back to", () => {
    const arrivals = fc.array(fc.record({ machine: fc.constantFrom("db", "web"), captured: fc.integer({ min: 0, max: 40 }), lag: fc.integer({ min: 0, max: 15 }), damaged: fc.boolean() }), { maxLength: 25 });
    fc.assert(
      fc.property(arrivals, fc.integer({ min: 0, max: 5 }), fc.integer({ min: 0, max: 30 }), (given, within, from) => {
        const group = { id: "g", name: "g", machines: ["db", "web"], within };
        const estate = smallEstate((e) => void (e.groups = [group]));
        const facts = given.map((a, i): CopyFact => ({ point: `${i}`, machine: a.machine, capturedAt: a.captured * 1000, arrivedAt: (a.captured + a.lag) * 1000, store: "yd", state: a.damaged ? "damaged" : "whole", dataBytes: 1 }));
        const vertices = groupExposureOver(facts, group, new Set(), from * 1000, 60_000);
        for (const [i, v] of vertices.entries()) {
          // Of two at one instant the second holds from then on.
          if (vertices[i + 1]?.at === v.at) continue;
          const copies = recoveryCopies(estate, facts, v.at, new Set());
          const oldest = Math.min(...["db", "web"].map((m) => copies(m)[0]?.capturedAt ?? -Infinity));
          expect(v.seconds).toBe(oldest === -Infinity ? null : (v.at - oldest) / 1000);
        }
      }),
    );
  });
});

describe("a group in readiness and runbook", () => {
  const estate = smallEstate((e) => void (e.groups = [{ id: "g", name: "the shop", machines: ["db", "web"], within: 60 }]));
  // The database has a newer point than the one that the web machine agrees with.
  const facts = [copyOf(estate, "db", "yd", 600), copyOf(estate, "db", "yd", 3_600), copyOf(estate, "web", "yd", 3_590)];

  it("loses what the oldest common point loses, and says that the others decide", () => {
    const alone = assessReadiness({ ...estate, groups: [] }, facts, ["quay"], AT).services.find((s) => s.service === "data")!;
    const grouped = assessReadiness(estate, facts, ["quay"], AT).services.find((s) => s.service === "data")!;
    expect(alone.loss!.seconds).toBe(600);
    expect(grouped.loss!.seconds).toBe(3_600);
    expect(grouped.reasons[0]).toContain("agrees with the others of the shop");
    expect(generateRunbook(estate, facts, { lost: ["quay"], at: AT, purpose: "failover" }).machines.get("db")!.capturedAt).toBe(AT - 3_600_000);
  });
  it("cannot return where no points agree, with that reason", () => {
    const apart = [facts[0]!, facts[2]!];
    expect(assessReadiness(estate, apart, ["quay"], AT).services.find((s) => s.service === "data")).toMatchObject({ verdict: "cannot-return", sentence: expect.stringContaining("no surviving copies of one common instant") as string });
  });
  it("leaves out those of the group that are not lost", () => {
    expect(recoveryCopies(estate, facts, AT, new Set(), new Set(["db"]))("db")[0]!.capturedAt).toBe(AT - 600_000);
  });
});
