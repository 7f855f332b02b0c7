import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { smallEstate } from "../tests/small-estate.ts";
import type { ObservedFlow } from "./flow.ts";
import { compareObserved, FEW } from "./observed.ts";

const flow = (from: string, to: string, more: Partial<ObservedFlow> = {}): ObservedFlow => ({ from, to, protocol: "tcp", port: 5_432, connections: 10, lastSeen: 1_000, ...more });
const estate = smallEstate((e) => {
  e.machines.push({ ...e.machines[0]!, id: "relay", name: "relay" }, { ...e.machines[0]!, id: "mail", name: "mail" });
  e.services.push({ ...e.services[0]!, id: "post", name: "post", machines: ["mail"], dependsOn: [] });
});

describe("observed connections held against declared dependencies", () => {
  it("proposes what is seen and not declared, with its evidence", () => {
    const { proposals, confirmed } = compareObserved(estate, [flow("web", "db"), flow("web", "mail", { port: 25 }), flow("web", "mail", { port: 465, connections: 4, lastSeen: 2_000 })]);
    expect(confirmed).toBe(1);
    expect(proposals).toEqual([
      { key: "missing/site/post", kind: "missing", service: "site", needs: "post", strength: "hard", why: expect.any(String) as string, through: [], evidence: { connections: 14, lastSeen: 2_000, ports: [{ port: 25, protocol: "tcp", connections: 10 }, { port: 465, protocol: "tcp", connections: 4 }], machines: [["web", "mail"]] } },
    ]);
  });
  it("proposes a soft one where a hard one would close a loop, and says what leads there already", () => {
    const [back] = compareObserved(estate, [flow("db", "web"), flow("web", "db")]).proposals;
    expect(back).toMatchObject({ key: "missing/data/site", strength: "soft" });
    const chained = { ...estate, services: estate.services.map((s) => (s.id === "data" ? { ...s, dependsOn: [{ service: "post", strength: "hard" as const }] } : s)) };
    expect(compareObserved(chained, [flow("web", "mail"), flow("web", "db"), flow("db", "mail")]).proposals).toMatchObject([{ key: "missing/site/post", through: ["data"] }]);
  });
  it("calls a declared one unused only where both ends are watched", () => {
    expect(compareObserved(estate, [flow("mail", "relay")]).proposals.map((p) => p.kind)).toEqual(["homeless"]);
    expect(compareObserved(estate, [flow("web", "mail"), flow("mail", "db")]).proposals.map((p) => p.key)).toContain("unused/site/data");
  });
  it("takes a handful of connections for no dependency, and old ones for none", () => {
    expect(compareObserved(estate, [flow("db", "mail", { connections: FEW - 1 }), flow("web", "db")]).proposals).toEqual([]);
    expect(compareObserved(estate, [flow("db", "mail")], 1_001).proposals).toEqual([]);
  });
  it("accounts for every flow once: inside a service, unknown, or towards a pair", () => {
    const machines = ["db", "web", "mail", "relay", "nowhere"];
    const some = fc.array(fc.tuple(fc.constantFrom(...machines), fc.constantFrom(...machines), fc.integer({ min: FEW, max: 9 })), { maxLength: 40 });
    fc.assert(
      fc.property(some, (given) => {
        const flows = given.map(([a, b, connections], i) => flow(a, b, { connections, port: i }));
        const { inside, unknown, proposals, confirmed } = compareObserved(estate, flows);
        expect(unknown).toBe(given.filter(([a, b]) => a === "nowhere" || b === "nowhere").length);
        expect(inside).toBe(given.filter(([a, b]) => a === b && a !== "nowhere" && a !== "relay").length);
        const seen = proposals.flatMap((p) => (p.kind === "missing" ? [p] : []));
        const pairs = new Set(given.flatMap(([a, b]) => { const of = (m: string) => estate.services.find((s) => s.machines.includes(m))?.id; return of(a) && of(b) && of(a) !== of(b) ? [`${of(a)}/${of(b)}`] : []; }));
        expect(seen.length + confirmed).toBe(pairs.size);
      }),
    );
  });
});
