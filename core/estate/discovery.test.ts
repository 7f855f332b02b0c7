import { describe, expect, it } from "vitest";
import { AT, GIB, smallEstate } from "../tests/small-estate.ts";
import { agentsWanting, compareDiscovery, type DiscoveredMachine, type Inventory, withFindings } from "./discovery.ts";

const seen = (id: string, more: Partial<DiscoveredMachine> = {}): DiscoveredMachine => ({ id, name: id, host: "q1", cores: 4, memory: 8 * GIB, disks: [{ id: "system", size: (id === "db" ? 80 : 40) * GIB }], attached: [], running: true, ...more });
const inventory = (machines: DiscoveredMachine[], more: Partial<Inventory> = {}): Inventory => ({
  family: "skerry",
  version: "1",
  can: [],
  converts: [],
  hosts: [{ id: "q1", name: "Quay host", cores: 32, memory: 128 * GIB, pools: [{ id: "a", size: 1_000 * GIB }, { id: "b", size: 1_048 * GIB }] }],
  networks: [],
  machines,
  ...more,
});
const estate = smallEstate();
const compare = (inv: Inventory, of = estate) => compareDiscovery(of, inv, "quay", { hosts: ["q1"], machines: [] });

describe("what a discovery finds", () => {
  it("is nothing where the platform and the estate agree, and what only the estate can know is no difference", () => {
    expect(compare(inventory([seen("db"), seen("web")]))).toEqual([]);
  });

  it("is what appeared, changed and is gone; other platforms' machines are none of its business", () => {
    const two = smallEstate((e) => e.machines.push({ ...e.machines[0]!, id: "far", name: "far", host: "y1" }));
    const found = compare(inventory([seen("db", { cores: 8, disks: [{ id: "system", size: 80 * GIB }, { id: "logs", size: GIB }] }), seen("new-1")]), two);
    expect(found.map((f) => [f.key, f.change])).toEqual([
      ["machines/db", "changed"],
      ["machines/new-1", "appeared"],
      ["machines/web", "gone"],
    ]);
    expect(found[0]!.fields).toEqual([
      { path: "cores", before: 4, after: 8 },
      { path: "disks.logs", before: null, after: GIB },
    ]);
  });

  it("taken in whole leaves nothing to find, and what is gone stays with its points, marked", () => {
    const inv = inventory([seen("db", { memory: 16 * GIB, firmware: "uefi", attached: [{ network: "lan", address: "10.0.0.4" }] }), seen("new-1", { host: "q2" })], {
      hosts: [...inventory([]).hosts, { id: "q2", name: "Second", cores: 8, memory: 64 * GIB, pools: [{ id: "a", size: 500 * GIB }] }],
      networks: [{ id: "lan", name: "LAN", range: "10.0.0.0/24" }],
    });
    const after = withFindings(estate, inv, compare(inv), "quay", AT);
    expect(compareDiscovery(after, inv, "quay", { hosts: ["q1", "q2"], machines: [] }).filter((f) => f.key !== "machines/web")).toEqual([]);
    expect(after.machines.find((m) => m.id === "web")!.gone).toBe(new Date(AT).toISOString());
    expect(compare(inv, after).some((f) => f.id === "web")).toBe(false);
    // What was known of a machine beyond the platform stays.
    expect(after.machines.find((m) => m.id === "db")).toMatchObject({ boot: 60, reduction: 0.5, disks: [{ used: 40 * GIB }] });
    const back = compare(inventory([seen("db", { memory: 16 * GIB }), seen("web")]), after);
    expect(back.find((f) => f.id === "web")!.change).toBe("returned");
    const again = withFindings(after, inventory([seen("web")]), back.filter((f) => f.id === "web"), "quay", AT);
    expect(again.machines.find((m) => m.id === "web")).not.toHaveProperty("gone");
  });

  it("takes in one finding and leaves the others as they are", () => {
    const inv = inventory([seen("db", { cores: 6 }), seen("web", { cores: 6 }), seen("new-1")]);
    const after = withFindings(estate, inv, compare(inv).filter((f) => f.id === "db"), "quay", AT);
    expect(after.machines.map((m) => [m.id, m.cores])).toEqual([["db", 6], ["web", 4]]);
  });

  it("speaks for the hosts it lists; a machine that moved to another platform's host is not gone, one that left a folder is", () => {
    const moved = smallEstate((e) => (e.machines[1]!.host = "y1"));
    const known = { hosts: ["q1"], machines: ["db", "web"] };
    expect(compareDiscovery(moved, inventory([seen("db")]), "quay", known)).toEqual([]);
    expect(compareDiscovery(moved, inventory([], { hosts: [] }), "quay", { hosts: [], machines: ["web"] }).map((f) => [f.id, f.change])).toEqual([["web", "gone"]]);
  });

  it("tells of agents that are missing on physical servers or do not answer", () => {
    const inv = inventory([seen("db", { agent: { version: "2.1", answers: false } }), seen("web", { agent: { version: "2.1", answers: true } }), seen("bare-1")]);
    expect(agentsWanting(inv, true).map((a) => a.machine)).toEqual(["db", "bare-1"]);
    expect(agentsWanting(inv, false).map((a) => a.machine)).toEqual(["db"]);
  });
});
