import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { countWords, durationWords, linkRateWords, listWords, rateWords, sizeWords } from "./amounts.ts";

describe("words for amounts", () => {
  it("are short and exact to the last digit shown", () => {
    expect([0, 9.6, 59, 60, 260, 599, 600, 3_569, 3_600, 6_000, 86_400, 100_000, 360_000].map(durationWords)).toEqual(["0 s", "10 s", "59 s", "1 min", "4 min 20 s", "9 min 59 s", "10 min", "59 min", "1 h", "1 h 40 min", "1 d", "1 d 4 h", "4 d 4 h"]);
    expect([0, 512, 1_023, 1_024, 1_536, 440 * 2 ** 30, 1.5 * 2 ** 40].map(sizeWords)).toEqual(["0 B", "512 B", "1 KiB", "1 KiB", "1.5 KiB", "440 GiB", "1.5 TiB"]);
    expect([12_500_000, 250_000_000].map(linkRateWords)).toEqual(["100 Mbit/s", "2 Gbit/s"]);
    expect(rateWords(480 * 2 ** 20)).toBe("480 MiB/s");
    expect(durationWords(Infinity)).toBe("never");
    expect(durationWords(-90)).toBe("−1 min 30 s");
  });

  it("never lie by more than half of the last unit they show, and grow with the value", () => {
    const seconds = (words: string): number => {
      const unit: Record<string, number> = { s: 1, min: 60, h: 3_600, d: 86_400 };
      return words.split(" ").reduce((sum, part, i, all) => (i % 2 === 0 ? sum + Number(part) * unit[all[i + 1]!]! : sum), 0);
    };
    fc.assert(
      fc.property(fc.double({ min: 0, max: 5e6, noNaN: true }), (s) => {
        const words = durationWords(s);
        const last = words.split(" ").at(-1)!;
        const step = s < 600 ? 1 : last === "s" ? 1 : s < 86_370 ? 60 : 3_600;
        expect(Math.abs(seconds(words) - s)).toBeLessThanOrEqual(step / 2 + 1e-6);
        expect(seconds(durationWords(s * 1.3 + 1))).toBeGreaterThanOrEqual(seconds(words));
      }),
    );
  });

  it("count and list", () => {
    expect([countWords(1, "machine"), countWords(3, "machine"), countWords(2, "entry", "entries")]).toEqual(["1 machine", "3 machines", "2 entries"]);
    expect([listWords([]), listWords(["a"]), listWords(["a", "b"]), listWords(["a", "b", "c"]), listWords(["a", "b", "c", "d", "e", "f"])]).toEqual(["", "a", "a and b", "a, b and c", "a, b, c and 3 more"]);
  });
});
