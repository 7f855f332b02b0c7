import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { CHECK_KINDS, IMPACT_LEVELS } from "#core/estate/model.ts";
import { checkLines, contactLines, daysText, hoursLines, impactLines, readCheckLines, readContactLines, readHoursLines, readImpactLines } from "./service-lines.ts";

const words = fc.string({ unit: fc.constantFrom(..."abc é:/.-0"), minLength: 1, maxLength: 10 }).map((s) => s.trim() || "x");
const optional = <T>(value: fc.Arbitrary<T>) => fc.option(value, { nil: undefined });
const given = <T extends object>(value: T): T => Object.fromEntries(Object.entries(value).filter(([, v]) => v !== undefined)) as T;
const some = <T>(one: fc.Arbitrary<T>) => fc.array(one, { maxLength: 4 });

describe("lists of a service, one item a line", () => {
  it("read back as they were written", () => {
    const impact = some(fc.record({ after: words, what: words, level: optional(fc.constantFrom(...IMPACT_LEVELS)) }).map(given));
    fc.assert(fc.property(impact, (list) => void expect(readImpactLines(impactLines(list))).toEqual(list)));
    const hours = some(fc.record({ days: fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1 }).map((d) => d.sort((a, b) => a - b)), from: words, to: words }));
    fc.assert(fc.property(hours, (list) => void expect(readHoursLines(hoursLines(list))).toEqual(list)));
    const contacts = some(fc.record({ role: words, reach: words }));
    fc.assert(fc.property(contacts, (list) => void expect(readContactLines(contactLines(list))).toEqual(list)));
    const checks = some(fc.record({ kind: fc.constantFrom(...CHECK_KINDS), takes: words, to: words, machine: optional(words) }).map(given));
    fc.assert(fc.property(checks, (list) => void expect(readCheckLines(checkLines(list))).toEqual(list)));
  });

  it("take days in any of the ways people write them, and leave what is no day to be refused", () => {
    expect(daysText([1, 2, 3, 5, 6])).toBe("1-3,5,6");
    expect(readHoursLines("1-5 | 07:00 | 18:00\n\n 6, 7 | 09:00 | 12:00 ")).toEqual([
      { days: [1, 2, 3, 4, 5], from: "07:00", to: "18:00" },
      { days: [6, 7], from: "09:00", to: "12:00" },
    ]);
    expect(readHoursLines("Monday | 07:00 | 18:00")[0]!.days).toEqual([NaN]);
    expect(readHoursLines("5-9 | 07:00 | 18:00")[0]!.days).toEqual([5]);
  });
});
