import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { inParallel } from "./parallel.ts";

const turns = async (n: number): Promise<void> => {
  for (let i = 0; i < n; i++) await Promise.resolve();
};

async function* slowly<T>(items: readonly T[], waits: readonly number[], ended: () => void): AsyncGenerator<T> {
  try {
    for (const [i, item] of items.entries()) {
      await turns(waits[i % waits.length]!);
      yield item;
    }
  } finally {
    ended();
  }
}

describe("work side by side", () => {
  const waits = fc.array(fc.nat(6), { minLength: 1, maxLength: 7 });

  it("does every item once, never more at once than may be, and ends after the last", async () => {
    await fc.assert(
      fc.asyncProperty(fc.nat(40), fc.integer({ min: 1, max: 9 }), waits, fc.boolean(), async (count, width, wait, asynchronous) => {
        const items = Array.from({ length: count }, (_, i) => i);
        const done: number[] = [];
        let [now, most] = [0, 0];
        await inParallel(asynchronous ? slowly(items, wait, () => undefined) : items, width, async (item) => {
          most = Math.max(most, ++now);
          await turns(wait[item % wait.length]!);
          now--;
          done.push(item);
        });
        expect(now).toBe(0);
        expect(done.sort((a, b) => a - b)).toEqual(items);
        expect(most).toBeLessThanOrEqual(width);
        if (!asynchronous && count >= width && wait.every((w) => w > 0)) expect(most).toBe(width);
      }),
    );
  });

  it("throws the first failure after what was under way has ended, begins nothing more and closes its source", async () => {
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 1, max: 30 }), fc.nat(), fc.integer({ min: 1, max: 6 }), waits, async (count, at, width, wait) => {
        const bad = at % count;
        let [now, failed, closed] = [0, false, false];
        const work = inParallel(slowly(Array.from({ length: count }, (_, i) => i), wait, () => (closed = true)), width, async (item) => {
          expect(failed).toBe(false);
          now++;
          await turns(wait[item % wait.length]!);
          now--;
          if (item !== bad) return;
          failed = true;
          throw new Error(`item ${item}`);
        });
        await expect(work).rejects.toThrow(`item ${bad}`);
        expect(now).toBe(0);
        expect(closed).toBe(true);
      }),
    );
  });
});
