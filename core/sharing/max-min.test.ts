import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { maxMinShares, type SharedFlow } from "./max-min.ts";

const over = (...resources: string[]): SharedFlow => ({ uses: resources.map((resource) => ({ resource, coefficient: 1 })) });

describe("max–min fair shares", () => {
  it("are ½, ½ and 3/2 in the published case of two lines in a row", () => {
    // Bertsekas & Gallager, Data Networks, section 6.5.2 (from memory): capacities 1 and 2, flows over both, the first, the second.
    const { rates, boundBy } = maxMinShares(new Map([["x", 1], ["y", 2]]), [over("x", "y"), over("x"), over("y")]);
    expect(rates).toEqual([0.5, 0.5, 1.5]);
    expect(boundBy).toEqual(["x", "x", "y"]);
  });

  it("obey weights, coefficients and caps", () => {
    expect(maxMinShares(new Map([["x", 9]]), [{ ...over("x"), weight: 2 }, over("x")]).rates).toEqual([6, 3]);
    // One that needs twice the bytes there gets the same rate, and both fill the line.
    expect(maxMinShares(new Map([["x", 9]]), [{ uses: [{ resource: "x", coefficient: 2 }] }, over("x")]).rates).toEqual([3, 3]);
    expect(maxMinShares(new Map([["x", 9]]), [{ ...over("x"), cap: 1 }, over("x")])).toEqual({ rates: [1, 8], boundBy: ["cap", "x"] });
  });

  it("have declared ends: no line gives nothing, no bound gives everything", () => {
    expect(maxMinShares(new Map(), [over("gone")]).rates).toEqual([0]);
    expect(maxMinShares(new Map(), [over()]).rates).toEqual([Infinity]);
    expect(maxMinShares(new Map(), []).rates).toEqual([]);
  });

  it("are feasible, and every flow has a full line on which nobody is faster (the characterisation of max–min)", () => {
    const names = ["a", "b", "c", "d"];
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0.1, max: 100, noNaN: true }), { minLength: 4, maxLength: 4 }),
        fc.array(fc.uniqueArray(fc.constantFrom(...names), { minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: 8 }),
        (capacities, routes) => {
          const limits = new Map(names.map((name, i) => [name, capacities[i]!]));
          const { rates } = maxMinShares(limits, routes.map((r) => over(...r)));
          const load = (name: string): number => routes.reduce((sum, r, i) => sum + (r.includes(name) ? rates[i]! : 0), 0);
          for (const name of names) expect(load(name)).toBeLessThanOrEqual(limits.get(name)! * (1 + 1e-9));
          routes.forEach((route, i) => {
            const bottleneck = route.some((name) => load(name) >= limits.get(name)! * (1 - 1e-6) && routes.every((r, k) => !r.includes(name) || rates[k]! <= rates[i]! * (1 + 1e-6)));
            expect(bottleneck).toBe(true);
          });
        },
      ),
    );
  });
});
