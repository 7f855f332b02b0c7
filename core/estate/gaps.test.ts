import { describe, expect, it } from "vitest";
import { AT, GIB, MIB, smallEstate } from "../tests/small-estate.ts";
import { gapsOf } from "./gaps.ts";
import type { Estate } from "./model.ts";
import { closedBy, couldRunOn } from "./platforms.ts";

const ids = (change: (e: Estate) => void, used?: Map<string, number>): string[] => gapsOf(smallEstate((e) => {
  e.services.forEach((s) => (s.rpo = 7_200));
  change(e);
}), AT, used).map((g) => g.id);

describe("what is wanting in an estate", () => {
  it("finds nothing in one that is whole, and each fault by what it is", () => {
    expect(ids(() => undefined)).toEqual([]);
    expect(ids((e) => (e.policies[0]!.machines = ["db"]))).toEqual(["unprotected/web"]);
    expect(ids((e) => (e.policies[0]!.legs = [{ from: "machine", to: "qd" }]))).toEqual(["off-site/db"]);
    expect(ids((e) => (e.machines[0]!.cores = 20))).toEqual(["place/db"]);
    expect(ids((e) => (e.hosts[1]!.platform = "holm"))).toEqual(["place/db"]);
    expect(ids(() => undefined, new Map([["yd", 3_900 * GIB]]))).toEqual(["room/yd"]);
    expect(ids((e) => (e.stores[1]!.encryptedTransport = false))).toEqual(["transport/yd"]);
    // A store that is filled within its own site sends nothing over a line.
    expect(ids((e) => (e.stores[0]!.encryptedTransport = false))).toEqual([]);
    expect(ids((e) => (e.stores[2]!.redundancy = { copies: 2, secondSite: "yard", second: "declared-disaster" }))).toEqual(["second/cb"]);
    expect(ids((e) => e.hazards.push({ id: "river", name: "one river", kind: "flood", takes: ["quay", "yard", "cloud"] }))).toEqual(["hazard/db"]);
  });

  it("says once what is wanting of several machines", () => {
    const gaps = gapsOf(smallEstate((e) => (e.policies[0]!.legs = [{ from: "machine", to: "qd" }])), AT);
    expect(gaps.find((g) => g.id === "off-site/db")).toMatchObject({ about: { ids: ["db", "web"] }, sentence: "db and web have no copy away from Quay: what takes the site takes every copy." });
  });

  it("takes a machine over where a platform converts it", () => {
    const converting = smallEstate((e) => {
      e.platforms = [
        { id: "skerry", name: "Skerry", kind: "hypervisor", can: [], converts: [] },
        { id: "holm", name: "Holm", kind: "hypervisor", can: [], converts: ["skerry"] },
      ];
      e.hosts[1]!.platform = "holm";
    });
    expect(couldRunOn(converting, converting.machines[0]!)).toMatchObject([{ how: "converted", reasons: [] }]);
    expect(gapsOf(converting, AT).filter((g) => g.id.startsWith("place"))).toEqual([]);
  });

  it("says what an interval and a slow line cost together, to the second", () => {
    // 2 GiB hot, 1 GiB/h: 2·(1−e^(−1/2)) GiB of 1 MiB blocks an hour, half of it on the line.
    const estate = smallEstate((e) => {
      e.policies[0]!.machines = ["db"];
      e.policies[0]!.legs = [{ from: "machine", to: "yd" }];
      e.links[0]!.rate = MIB;
      e.services[0]!.rpo = 4_000;
    });
    const changed = 2_048 * (1 - Math.exp(-0.5));
    const gap = gapsOf(estate, AT).find((g) => g.id === "rpo/data")!;
    const seconds = 3_600 + changed / 2;
    const minutes = Math.round(seconds / 60);
    expect(gap.sentence).toContain(`can lose ${Math.floor(minutes / 60)} h ${minutes % 60} min`);
    expect(gap.sentence).toContain("over the line Quay – Yard to Yard disks");
  });

  it("asks for keys with two holders at two places, tried within a year", () => {
    const key = (holders: Estate["keys"][number]["holders"]): string[] => ids((e) => (e.keys = [{ id: "k", name: "K", opens: ["qd"], holders }]));
    const day = (n: number): string => new Date(AT - n * 86_400_000).toISOString().slice(0, 10);
    expect(key([{ who: "a", place: "safe", site: "quay", tried: day(10) }])).toEqual(["holder/k"]);
    expect(key([{ who: "a", place: "safe", site: "quay", tried: day(10) }, { who: "b", place: "desk", site: "quay", tried: day(10) }])).toEqual(["place/k"]);
    expect(key([{ who: "a", place: "safe", site: "quay", tried: day(500) }, { who: "b", place: "desk", site: "yard" }])).toEqual(["tried/k"]);
    expect(key([{ who: "a", place: "safe", site: "quay", tried: day(10) }, { who: "b", place: "desk", site: "yard", tried: day(300) }])).toEqual([]);
  });

  it("tells of a machine that several policies capture, by their common instants", () => {
    const estate = smallEstate((e) => e.policies.push({ id: "q", name: "Q", machines: ["db"], every: 5_400, legs: [{ from: "machine", to: "yd" }] }));
    expect(gapsOf(estate, AT).find((g) => g.id === "overlap/db")!.sentence).toContain("every 3 h");
  });

  it("names what a platform's missing capabilities close, and only where it matters", () => {
    expect(closedBy({ id: "a", name: "A", kind: "hypervisor", can: ["start-from-copy", "move-running", "quiesce"], converts: [] })).toEqual([]);
    expect(closedBy({ id: "a", name: "A", kind: "hypervisor", can: ["start-from-copy", "quiesce"], converts: [] }).join()).toContain("settling takes a stop");
    expect(closedBy({ id: "a", name: "A", kind: "bare", can: [], converts: [] }).join()).toMatch(/agent.*instant recovery is closed.*over the network.*power cut/);
  });
});
