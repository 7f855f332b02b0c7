import { DateTime } from "luxon";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { smallEstate } from "../tests/small-estate.ts";
import { localTime } from "./hours.ts";
import { linkRateAt, linkRateSteps } from "./link-rate.ts";
import type { Link } from "./model.ts";
import { estateResources, resourceWords } from "./resources.ts";
import { routeBetween } from "./route.ts";

const ZONE = "Europe/Tallinn";
const limited = (limits: Link["limits"]): Link => ({ id: "l", between: ["a", "b"], rate: 100, latencyMs: 1, limits });
const local = (text: string): number => DateTime.fromISO(text, { zone: ZONE }).toMillis();

describe("a link's rate by the hour", () => {
  const day = limited([{ days: [1, 2, 3, 4, 5], from: 7 * 60, to: 19 * 60, rate: 40 }]);
  const night = limited([{ days: [5], from: 22 * 60, to: 6 * 60, rate: 10 }]);

  it("holds its limits in the organisation's zone, over midnight too", () => {
    expect(linkRateAt(day, local("2026-03-02T06:59"), ZONE)).toBe(100);
    expect(linkRateAt(day, local("2026-03-02T07:00"), ZONE)).toBe(40);
    expect(linkRateAt(day, local("2026-03-02T18:59"), ZONE)).toBe(40);
    expect(linkRateAt(day, local("2026-03-02T19:00"), ZONE)).toBe(100);
    expect(linkRateAt(day, local("2026-03-07T12:00"), ZONE)).toBe(100);
    // Friday's night lasts into Saturday, not Thursday's into Friday.
    expect(linkRateAt(night, local("2026-03-06T23:00"), ZONE)).toBe(10);
    expect(linkRateAt(night, local("2026-03-07T05:00"), ZONE)).toBe(10);
    expect(linkRateAt(night, local("2026-03-06T05:00"), ZONE)).toBe(100);
  });

  it("agrees with looking at every minute by itself, through a change of clocks as well", () => {
    // Clocks went forward in the night to 29 March 2026.
    for (const from of ["2026-03-27T15:20", "2026-03-28T20:00", "2026-10-24T20:00"].map(local)) {
      const steps = linkRateSteps(night.limits.length ? limited([...day.limits, ...night.limits, { days: [6, 7], from: 90, to: 210, rate: 5 }]) : day, from, ZONE, 40 * 3_600);
      const link = limited([...day.limits, ...night.limits, { days: [6, 7], from: 90, to: 210, rate: 5 }]);
      for (let s = 0; s < 40 * 3_600; s += 60) expect(steps.findLast((x) => x.fromSeconds <= s)!.rate).toBe(linkRateAt(link, from + s * 1000, ZONE));
    }
  });

  it("reads local time as a date library does", () => {
    fc.assert(
      fc.property(fc.integer({ min: Date.UTC(2025, 0, 1), max: Date.UTC(2027, 0, 1) }), fc.constantFrom(ZONE, "UTC", "Pacific/Chatham"), (instant, zone) => {
        const t = DateTime.fromMillis(instant, { zone });
        expect(localTime(instant, zone)).toEqual({ day: t.weekday, minute: t.hour * 60 + t.minute });
      }),
    );
    // Every minute around the changes of clocks, one of which is at a quarter to three.
    for (const [zone, change] of [[ZONE, Date.UTC(2026, 2, 29, 1)], [ZONE, Date.UTC(2026, 9, 25, 1)], ["Pacific/Chatham", Date.UTC(2026, 3, 4, 14)], ["Australia/Lord_Howe", Date.UTC(2026, 9, 3, 15, 30)]] as const)
      for (let at = change - 3_600_000; at < change + 3_600_000; at += 59_999) {
        const t = DateTime.fromMillis(at, { zone });
        expect(localTime(at, zone), `${zone} ${new Date(at).toISOString()}`).toEqual({ day: t.weekday, minute: t.hour * 60 + t.minute });
      }
  });
});

describe("routes and resources", () => {
  const estate = smallEstate();
  it("take the fewest hops over lines that are left", () => {
    expect(routeBetween(estate, "quay", "cloud", new Set())).toEqual([{ link: "qy", from: "quay" }, { link: "yc", from: "yard" }]);
    expect(routeBetween(estate, "cloud", "quay", new Set())).toEqual([{ link: "yc", from: "cloud" }, { link: "qy", from: "yard" }]);
    expect(routeBetween(estate, "quay", "quay", new Set(["qy"]))).toEqual([]);
    expect(routeBetween(estate, "quay", "cloud", new Set(["yc"]))).toBeUndefined();
  });
  it("are spoken of in words", () => {
    expect(resourceWords(estate, "streams:yd")).toBe("a restore stream at Yard disks");
    expect(resourceWords(estate, "link:qy:quay")).toBe("the line Quay – Yard");
    expect(resourceWords(estate, "crew")).toBe("somebody of the crew");
    const { units, rates } = estateResources(estate, 0);
    expect([...units.keys()].every((id) => resourceWords(estate, id) !== id)).toBe(true);
    expect([...rates.keys()].every((id) => resourceWords(estate, id) !== id)).toBe(true);
  });
});
