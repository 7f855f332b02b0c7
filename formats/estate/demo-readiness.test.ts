import { describe, expect, it } from "vitest";
import { steadyCopies } from "#core/copies/legs.ts";
import { durationWords } from "#core/wording/amounts.ts";
import { assessReadiness, chainOf } from "#core/readiness/readiness.ts";
import { sitesByHurt } from "#core/readiness/worst-site.ts";
import { readEstate } from "./read-estate.ts";
import { demoText } from "./tests/demo-text.ts";

const { estate } = readEstate(demoText());
const AT = Date.UTC(2026, 10, 24, 10, 20);
const facts = steadyCopies(estate, AT);

describe("the demo", () => {
  it("is deliberately not perfect, and the faults are found by computation", () => {
    const readiness = assessReadiness(estate, facts, ["tern-quay"], AT);
    const verdicts = Object.fromEntries(readiness.services.map((s) => [s.service, s.verdict]));
    expect(verdicts).toMatchObject({ warehouse: "cannot-return", positions: "stays-up", radio: "stays-up", files: "in-time" });
    // Hourly copies cannot keep an RPO of five or fifteen minutes.
    expect(["loses-too-much", "late-and-loses-too-much"]).toContain(verdicts["gates"]);
    expect(verdicts["booking"]).toBe("loses-too-much");
    expect(readiness.services.find((s) => s.service === "terminal")!.sentence).toBe("stays up, impaired: it needs Boarding gates");
    expect(readiness.runbook!.notes.join()).toContain("Name service and Identity need each other");
  });

  it("hurts most where most stands", () => {
    expect(sitesByHurt(estate, facts, AT)[0]!.site).toBe("tern-quay");
  });

  it("holds its invariants for every single loss at many moments of a week", () => {
    const losses = [...estate.sites, ...estate.hosts, ...estate.stores, ...estate.links].map((x) => x.id);
    for (let i = 0; i < losses.length; i++) {
      const at = AT - i * 7_777_777;
      const readiness = assessReadiness(estate, steadyCopies(estate, at), [losses[i]!], at);
      for (const s of readiness.services) {
        expect(s.sentence, losses[i]).not.toBe("");
        if (!s.recovery) continue;
        const { detected, declared, coordinatorReady, serviceable } = s.recovery;
        expect(detected).toBeLessThanOrEqual(declared);
        expect(declared).toBeLessThanOrEqual(coordinatorReady);
        expect(coordinatorReady).toBeLessThan(serviceable);
        // The chain explains the whole time: it begins at the strike, is unbroken, and ends at the check.
        const chain = chainOf(estate, readiness.runbook, s.service);
        expect(chain[0]!.start).toBe(0);
        expect(chain.at(-1)!.finish).toBeCloseTo(serviceable, 6);
        for (let k = 1; k < chain.length; k++) expect(chain[k]!.start).toBeCloseTo(chain[k - 1]!.finish, 6);
        // The reasons name what weighs most in it.
        const longest = Math.max(...chain.map((l) => l.finish - l.start));
        const waited = Math.max(0, ...chain.filter((l) => l.waitedFor).map((l) => l.waited));
        expect(s.reasons.join(" ")).toContain(`${durationWords(longest)}.`);
        if (waited > 0) expect(s.reasons.join(" ")).toContain(`Waits ${durationWords(waited)} for `);
      }
      // No host is given more than it has.
      const plans = [...(readiness.runbook?.machines.values() ?? [])];
      for (const host of estate.hosts) {
        const here = [...estate.machines.filter((m) => m.host === host.id), ...plans.filter((p) => p.host === host.id).map((p) => estate.machines.find((m) => m.id === p.machine)!)];
        expect(here.reduce((sum, m) => sum + m.cores, 0)).toBeLessThanOrEqual(host.cores);
        expect(here.reduce((sum, m) => sum + m.memory, 0)).toBeLessThanOrEqual(host.memory);
      }
    }
  });
});
