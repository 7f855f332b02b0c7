import { describe, expect, it } from "vitest";
import { changeByHour } from "./change-by-hour.ts";

const HOUR = 3_600_000;
/** A Monday, midnight in Tallinn (UTC+2 in winter). */
const MONDAY = Date.UTC(2026, 10, 15, 22);

describe("change by the hour of the week", () => {
  it("is what each hour's capture found, in local time", () => {
    const captures = [0, 1, 2, 3].map((h) => ({ capturedAt: MONDAY + h * HOUR, changedBytes: h * 100 }));
    const week = changeByHour(captures, "Europe/Tallinn");
    expect(week.slice(0, 4)).toEqual([{ rate: 100, hours: 1 }, { rate: 200, hours: 1 }, { rate: 300, hours: 1 }, { rate: null, hours: 0 }]);
    expect(changeByHour(captures, "UTC")[166]).toEqual({ rate: 100, hours: 1 });
  });

  it("spreads what lies between two captures, keeps every byte, and averages weeks", () => {
    const captures = [
      { capturedAt: MONDAY + 0.5 * HOUR, changedBytes: 999 },
      { capturedAt: MONDAY + 3.25 * HOUR, changedBytes: 1_100 },
      { capturedAt: MONDAY + 4 * HOUR, changedBytes: 60 },
    ];
    const week = changeByHour(captures, "Europe/Tallinn");
    expect(week.reduce((sum, h) => sum + (h.rate ?? 0) * h.hours, 0)).toBeCloseTo(1_160, 9);
    expect(week[0]).toEqual({ rate: 400, hours: 0.5 });
    const weeks = changeByHour([0, 1, 168, 169].map((h) => ({ capturedAt: MONDAY + h * HOUR, changedBytes: h < 100 ? 100 : 300 })), "Europe/Tallinn");
    expect(weeks[0]).toEqual({ rate: 200, hours: 2 });
  });

  it("says nothing of captures a day apart, and is right across the change of clocks", () => {
    expect(changeByHour([0, 24].map((h) => ({ capturedAt: MONDAY + h * HOUR, changedBytes: 5 })), "UTC").every((h) => h.rate === null)).toBe(true);
    // On 25 October 2026 Tallinn's clocks go back at 4 h: that hour is seen twice.
    const sunday = Date.UTC(2026, 9, 24, 21);
    const week = changeByHour(Array.from({ length: 8 }, (_, h) => ({ capturedAt: sunday + h * HOUR, changedBytes: 10 })), "Europe/Tallinn");
    expect(week[6 * 24 + 3]!.hours).toBe(2);
    expect(week[6 * 24 + 4]!.hours).toBe(1);
  });
});
