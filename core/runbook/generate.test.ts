import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { CopyFact } from "../copies/copy-fact.ts";
import { diskBytes, type Estate } from "../estate/model.ts";
import { outageOf, serviceStates } from "../outage/closure.ts";
import { AT, copyOf, GIB, MIB, smallEstate } from "../tests/small-estate.ts";
import { checkStep, generateRunbook } from "./generate.ts";
import type { TimedRunbook } from "./runbook.ts";

type Case = { estate: Estate; facts: CopyFact[]; lost: string[] };

/** Estates of three to eight machines in two rooms, with hosts that may be too small, services that need each other at random, and copies of every kind. */
const cases: fc.Arbitrary<Case> = fc
  .record({
    machines: fc.array(fc.record({ gib: fc.integer({ min: 1, max: 80 }), cores: fc.integer({ min: 1, max: 9 }), at: fc.constantFrom("q1", "q1", "q2", "y1") }), { minLength: 3, maxLength: 8 }),
    yard: fc.array(fc.record({ cores: fc.integer({ min: 4, max: 24 }), memory: fc.integer({ min: 8, max: 48 }) }), { minLength: 2, maxLength: 2 }),
    needs: fc.array(fc.tuple(fc.nat(7), fc.nat(7), fc.constantFrom("hard" as const, "soft" as const)), { maxLength: 10 }),
    tiers: fc.array(fc.constantFrom(1 as const, 2 as const, 3 as const, 4 as const), { minLength: 8, maxLength: 8 }),
    copies: fc.array(fc.record({ machine: fc.nat(7), store: fc.constantFrom("qd", "yd", "cb"), age: fc.integer({ min: 1, max: 9 }), late: fc.boolean(), state: fc.constantFrom("whole" as const, "whole" as const, "whole" as const, "damaged" as const) }), { minLength: 12, maxLength: 40 }),
    lost: fc.constantFrom<string[]>(["quay"], ["q1"], ["quay", "yd"], ["q2", "qy"], ["yard"]),
  })
  .map(({ machines, yard, needs, tiers, copies, lost }) => {
    const estate = smallEstate((e) => {
      const [m, s] = [e.machines[0]!, e.services[0]!];
      e.hosts = [e.hosts[0]!, { ...e.hosts[0]!, id: "q2", name: "Quay host 2" }, ...yard.map(({ cores, memory }, i) => ({ ...e.hosts[1]!, id: `y${i + 1}`, name: `Yard host ${i + 1}`, cores, memory: memory * GIB }))];
      e.machines = machines.map(({ gib, cores, at }, i) => ({ ...m, id: `m${i}`, name: `m${i}`, host: at, cores, disks: [{ id: "system", size: 2 * gib * GIB, used: gib * GIB }] }));
      e.services = machines.map((_, i) => ({
        ...s,
        id: `s${i}`,
        name: `s${i}`,
        tier: tiers[i]!,
        // A machine belongs to its service, and the last one to two.
        machines: i === 0 ? ["m0", `m${machines.length - 1}`] : [`m${i}`],
        dependsOn: needs.filter(([a, b]) => a % machines.length === i && b % machines.length !== i).map(([, b, strength]) => ({ service: `s${b % machines.length}`, strength })),
      }));
      e.policies[0]!.machines = e.machines.map(({ id }) => id);
    });
    const facts = copies.map(({ machine, store, age, late, state }) => copyOf(estate, `m${machine % machines.length}`, store, age * 600, { state, ...(late ? { arrivedAt: AT + 1 } : {}) }));
    return { estate, facts, lost };
  });

const holds = (check: (one: Case, runbook: TimedRunbook) => void): void =>
  fc.assert(
    fc.property(cases, (one) => check(one, generateRunbook(one.estate, one.facts, { lost: one.lost, at: AT, purpose: "failover" }))),
    { numRuns: 200 },
  );

describe("the runbook of any outage", () => {
  it("has every service that is down either return or say why it cannot, and leaves the others alone", () => {
    holds(({ estate, lost }, { services, steps }) => {
      const states = serviceStates(estate, outageOf(estate, lost));
      for (const { id } of estate.services) {
        const plan = services.get(id)!;
        expect(plan.kind === "stays").toBe(states.get(id)!.kind !== "down");
        if (plan.kind === "cannot") expect(plan.details.join(" ")).toMatch(/\w.+\./);
        expect(steps.some((s) => s.service === id)).toBe(plan.kind === "returns");
        expect(steps.filter((s) => s.id === checkStep(id))).toHaveLength(plan.kind === "returns" ? 1 : 0);
      }
    });
  });

  it("takes of every machine the newest whole copy that had arrived where it survives, from stores that have it", () => {
    holds(({ estate, facts, lost }, { machines }) => {
      const { stores } = outageOf(estate, lost);
      for (const plan of machines.values()) {
        const there = facts.filter((f) => f.machine === plan.machine && f.state === "whole" && f.arrivedAt <= AT && !stores.has(f.store));
        expect(plan.capturedAt).toBe(Math.max(...there.map((f) => f.capturedAt)));
        expect(plan.stores.length).toBeGreaterThan(0);
        for (const store of plan.stores) expect(there.some((f) => f.store === store && f.point === plan.point)).toBe(true);
      }
    });
  });

  it("tries both ways out: many return, and many cannot", () => {
    const kinds = fc.sample(cases, { numRuns: 100, seed: 7 }).flatMap((one) => [...generateRunbook(one.estate, one.facts, { lost: one.lost, at: AT, purpose: "failover" }).services.values()].map((p) => p.kind));
    for (const kind of ["returns", "cannot", "stays"]) expect(kinds.filter((k) => k === kind).length, kind).toBeGreaterThan(50);
  });

  it("puts no more on a surviving host than it has, beside what runs there", () => {
    holds(({ estate, lost }, { machines }) => {
      const outage = outageOf(estate, lost);
      for (const plan of machines.values()) expect(outage.machines.has(plan.machine)).toBe(true);
      for (const host of estate.hosts) {
        const arriving = estate.machines.filter((m) => machines.get(m.id)?.host === host.id);
        if (arriving.length === 0) continue;
        expect(outage.hosts.has(host.id)).toBe(false);
        const all = [...arriving, ...estate.machines.filter((m) => m.host === host.id)];
        expect(all.reduce((n, m) => n + m.cores, 0)).toBeLessThanOrEqual(host.cores);
        expect(all.reduce((n, m) => n + m.memory, 0)).toBeLessThanOrEqual(host.memory);
        expect(all.reduce((n, m) => n + diskBytes(m), 0)).toBeLessThanOrEqual(host.pool);
      }
    });
  });

  it("starts nothing before what it needs answers, and moves no byte faster than the way lets it", () => {
    holds(({ estate }, { services, steps, timeline, machines }) => {
      const group = new Map<string, Set<string>>();
      const reach = (from: string): Set<string> => {
        const known = group.get(from);
        if (known) return known;
        const seen = new Set<string>();
        group.set(from, seen);
        const open = [from];
        for (let at = open.pop(); at !== undefined; at = open.pop()) for (const d of estate.services.find((s) => s.id === at)!.dependsOn) if (d.strength === "hard" && !seen.has(d.service)) open.push((seen.add(d.service), d.service));
        return seen;
      };
      for (const { id, dependsOn } of estate.services)
        for (const { service, strength } of dependsOn) {
          if (strength === "soft" || services.get(id)!.kind !== "returns" || services.get(service)!.kind !== "returns") continue;
          // Within a loop there is no order to keep.
          if (reach(service).has(id)) continue;
          expect(timeline.steps.get(checkStep(id))!.start).toBeGreaterThanOrEqual(timeline.steps.get(checkStep(service))!.finish - 1e-6);
        }
      for (const step of steps) {
        const timed = timeline.steps.get(step.id)!;
        for (const before of step.after) expect(timed.start).toBeGreaterThanOrEqual(timeline.steps.get(before)!.finish - 1e-6);
        if (step.kind !== "bring-back") continue;
        const { dataBytes, stores } = machines.get(step.machine!)!;
        const store = estate.stores.find((s) => s.id === stores[0])!;
        // Half of the bytes are read, all of them written; the yard's pool takes 400 MiB/s, Quay's 800.
        const fastest = Math.min(store.readRate / 0.5, 800 * MIB);
        expect(timed.finish - timed.start).toBeGreaterThanOrEqual(dataBytes / fastest - 1e-6);
      }
    });
  });

  it("of a rehearsal brings along what is needed and alive elsewhere, and opens with nothing assumed", () => {
    fc.assert(
      fc.property(cases, fc.nat(7), ({ estate, facts, lost }, pick) => {
        const asked = `s${pick % estate.services.length}`;
        const runbook = generateRunbook(estate, facts, { lost, at: AT, purpose: "rehearsal", services: [asked] });
        const open = [asked];
        const wanted = new Set(open);
        for (let at = open.pop(); at !== undefined; at = open.pop()) for (const d of estate.services.find((s) => s.id === at)!.dependsOn) if (d.strength === "hard" && !wanted.has(d.service)) open.push((wanted.add(d.service), d.service));
        for (const { id } of estate.services) expect(runbook.services.get(id)!.kind === "stays").toBe(!wanted.has(id));
        expect(runbook.steps.some((s) => ["detect", "declare", "return-coordinator"].includes(s.kind))).toBe(false);
        // Half a service proves nothing: with one machine missing, none of it is begun.
        for (const { id, machines } of estate.services) if (runbook.services.get(id)!.kind === "returns") for (const m of machines) expect(runbook.steps.some((s) => s.id === `boot/${m}`)).toBe(true);
      }),
      { numRuns: 200 },
    );
  });

  it("waits for what has to be made readable first, and takes another store where that is sooner", () => {
    const estate = smallEstate((e) => (e.stores[1]!.retrieval = 18_000));
    const facts = [copyOf(estate, "db", "yd", 3_600), copyOf(estate, "web", "yd", 3_600)];
    const slow = generateRunbook(estate, facts, { lost: ["quay"], at: AT, purpose: "failover" });
    const back = slow.timeline.steps.get("bring-back/db")!;
    const asked = slow.timeline.steps.get("retrieve/db")!;
    expect(asked.finish - asked.start).toBe(18_000);
    expect(back.start).toBeGreaterThanOrEqual(asked.finish);
    const both = generateRunbook(estate, [...facts, copyOf(estate, "db", "cb", 3_600), copyOf(estate, "web", "cb", 3_600)], { lost: ["quay"], at: AT, purpose: "failover" });
    expect(both.machines.get("db")!.stores).toEqual(["cb", "yd"]);
    expect(both.steps.some((s) => s.kind === "retrieve")).toBe(false);
  });

  it("goes by the rate of the direction in which bytes come back", () => {
    const facts = (e: Estate) => [copyOf(e, "db", "cb", 3_600), copyOf(e, "web", "cb", 3_600)];
    const seconds = (change: (e: Estate) => void): number => {
      const estate = smallEstate(change);
      const { start, finish } = generateRunbook(estate, facts(estate), { lost: ["quay"], at: AT, purpose: "failover" }).timeline.steps.get("bring-back/db")!;
      return finish - start;
    };
    const even = seconds(() => undefined);
    // The line joins yard and cloud: back is from cloud to yard.
    expect(seconds((e) => (e.links[1]!.backRate = e.links[1]!.rate / 10))).toBeGreaterThan(even * 4);
    expect(seconds((e) => Object.assign(e.links[1]!, { rate: e.links[1]!.rate / 10, backRate: e.links[1]!.rate }))).toBeCloseTo(even, 6);
  });
});
