import { describe, expect, it } from "vitest";
import { smallEstate } from "../tests/small-estate.ts";
import type { FoundLanding } from "./discovery.ts";
import { addressesIn, bootMedium, driverMedium, landingsOf } from "./landing.ts";
import type { Estate } from "./model.ts";
import { changesUnder, itemsUnder } from "./under.ts";

const GIB = 2 ** 30;
const base = smallEstate((e) => {
  e.networks = [
    { id: "q-lan", name: "Quay LAN", site: "quay", range: "10.0.0.0/24", purpose: "production" },
    { id: "y-lan", name: "Yard LAN", site: "yard", range: "10.1.0.0/29", purpose: "production" },
  ];
  for (const m of e.machines) m.attached = [{ network: "q-lan" }];
  e.landings = [{ id: "yard", site: "yard", platform: "skerry", group: "recovered", networks: [{ from: "q-lan", to: "y-lan" }], staging: "scratch", account: "lander", media: [], exports: "copies.example:3260" }];
});
const ready: FoundLanding = { groups: ["recovered"], accounts: [{ name: "lander", rights: ["inventory", "make-machines"] }], media: [], reaches: ["copies.example:3260"], free: [{ host: "y1", pool: "scratch", bytes: 400 * GIB }] };
const look = (estate: Estate, landing: FoundLanding | null, networks = ["y-lan"]) => landingsOf(estate, () => ({ inventory: { networks: networks.map((id) => ({ id, name: id, range: "10.1.0.0/29" })) }, landing }))[0]!;
const missing = (estate: Estate, landing: FoundLanding | null, networks?: string[]) => look(estate, landing, networks).requirements.filter((r) => r.state === "missing").map((r) => r.what);

describe("landing zones", () => {
  it("are ready where everything that is written down was found", () => {
    expect(look(base, ready).requirements.map((r) => r.state)).toEqual(["ready", "ready", "ready", "ready", "ready"]);
    expect(look(base, ready)).toMatchObject({ site: "yard", platform: "skerry", services: ["data", "site"] });
  });
  it("miss exactly what is taken away", () => {
    expect(missing(base, { ...ready, groups: [] })).toEqual(["group"]);
    expect(missing(base, ready, [])).toEqual(["network"]);
    expect(missing(base, { ...ready, free: [{ host: "y1", pool: "scratch", bytes: GIB }] })).toEqual(["staging"]);
    expect(missing(base, { ...ready, accounts: [{ name: "lander", rights: ["inventory"] }] })).toEqual(["account"]);
    expect(missing(base, { ...ready, reaches: [] })).toEqual(["exports"]);
    const narrow = smallEstate((e) => void Object.assign(e, { ...base, networks: base.networks.map((n) => (n.id === "y-lan" ? { ...n, range: "10.1.0.0/30" } : n)) }));
    expect(missing(narrow, ready)).toEqual(["addresses"]);
    expect(missing({ ...base, landings: [] }, ready)).toEqual(["zone"]);
  });
  it("are unknown, not ready, where nobody has looked", () => {
    expect(new Set(landingsOf(base, () => null)[0]!.requirements.map((r) => r.state))).toEqual(new Set(["unknown"]));
  });
  it("need drivers for machines of another family, and something to start bare hardware from", () => {
    const other: Estate = {
      ...base,
      platforms: [
        { id: "skerry", name: "Skerry", kind: "hypervisor", can: [], converts: [] },
        { id: "anvil", name: "Anvil", kind: "bare", can: [], converts: ["skerry"] },
      ],
      hosts: base.hosts.map((h) => (h.site === "yard" ? { ...h, platform: "anvil" } : h)),
      landings: [{ ...base.landings[0]!, platform: "anvil", media: [driverMedium("skerry", "anvil")] }],
    };
    expect(missing(other, ready)).toEqual(["media", "media"]);
    expect(look(other, ready).requirements.filter((r) => r.what === "media").map((r) => r.sentence)).toEqual([expect.stringContaining(`does not have ${driverMedium("skerry", "anvil")}`), expect.stringContaining(bootMedium("anvil"))]);
  });
  it("counts the addresses of a range", () => {
    expect([addressesIn("10.0.0.0/24"), addressesIn("10.0.0.0/30"), addressesIn("10.0.0.0/32")]).toEqual([253, 1, 0]);
  });
});

describe("what lies under a service", () => {
  it("holds what it needs, however far, and not what needs it", () => {
    expect(itemsUnder(base, "site")).toEqual(new Set([...itemsUnder(base, "data"), "services/site", "machines/web"]));
    expect(itemsUnder(base, "data").has("services/site")).toBe(false);
    expect(itemsUnder(base, "nowhere")).toEqual(new Set());
  });
  it("tells changes there apart from changes elsewhere, and sees what has gone", () => {
    const after: Estate = { ...base, machines: base.machines.map((m) => (m.id === "web" ? { ...m, cores: 64 } : m)), policies: [] };
    expect(changesUnder(base, after, "data").map((d) => `${d.change} ${d.kind}/${d.id}`)).toEqual(["goes policies/p"]);
    expect(changesUnder(base, after, "site").map((d) => `${d.change} ${d.kind}/${d.id}`)).toEqual(["changes machines/web", "goes policies/p"]);
  });
});
