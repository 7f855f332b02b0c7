import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { WORLD_SCALE } from "#standins/world/protocol.ts";
import type { Clock } from "../clock.ts";
import type { Platform } from "../platform.ts";

export type PlatformUnderTest = { platform: Platform; stranger: Platform; close: () => Promise<void> };
export type ClockUnderTest = { clock: Clock; hurry: () => Promise<void>; close: () => Promise<void> };

/** What everything that runs machines must do, stand-in or real. */
export function platformConformance(name: string, make: () => Promise<PlatformUnderTest>): void {
  describe(`${name} as a platform`, () => {
    let under: PlatformUnderTest;
    beforeAll(async () => {
      under = await make();
    });
    afterAll(() => under.close());

    it("lists its machines with their disks, and reads those at an instant block by block", async () => {
      const machines = await under.platform.machines();
      expect(machines.length).toBeGreaterThan(0);
      const { id, disks } = machines[0]!;
      const disk = disks[0]!;
      const at = Date.UTC(2026, 2, 2, 9);
      const written = await under.platform.changedBlocks(id, disk.id, null, at);
      expect(written).toEqual([...written].sort((a, b) => a - b));
      expect(written.length * WORLD_SCALE.nominalBlock).toBeLessThanOrEqual(disk.bytes + WORLD_SCALE.nominalBlock);
      const two = await under.platform.readBlocks(id, disk.id, at, written.slice(0, 2));
      expect(two.length).toBe(2 * WORLD_SCALE.realBlock);
      expect((await under.platform.readBlocks(id, disk.id, at, [written[1]!])).equals(two.subarray(WORLD_SCALE.realBlock))).toBe(true);
      // Nothing has changed since the same instant; what changed later is among what is written later.
      expect(await under.platform.changedBlocks(id, disk.id, at, at)).toEqual([]);
    });

    it("writes disks of an enclave and reads them back; what was not written is zero", async () => {
      const bytes = Buffer.alloc(2 * WORLD_SCALE.realBlock, 7);
      await under.platform.writeDisk("conformance", "m", "d", [5, 1], bytes);
      await under.platform.writeDisk("conformance", "m", "d", [5, 1], bytes);
      const back = await under.platform.readDisk("conformance", "m", "d", [1, 2, 5]);
      expect([back[0], back[WORLD_SCALE.realBlock], back[2 * WORLD_SCALE.realBlock]]).toEqual([7, 0, 7]);
      await under.platform.discard("conformance");
      await under.platform.discard("conformance");
      expect((await under.platform.readDisk("conformance", "m", "d", [5]))[0]).toBe(0);
      expect(await under.platform.enclave("conformance")).toBeNull();
    });

    it("says what it does not have, refuses names that leave its place, and strangers", async () => {
      await expect(under.platform.changedBlocks("nobody", "d", null, 0)).rejects.toMatchObject({ kind: "refused", message: expect.stringContaining("nobody") as string });
      await expect(under.platform.writeDisk("..", "m", "d", [0], Buffer.alloc(WORLD_SCALE.realBlock))).rejects.toThrow();
      await expect(under.platform.writeDisk("e", "../m", "d", [0], Buffer.alloc(WORLD_SCALE.realBlock))).rejects.toThrow();
      await expect(under.stranger.machines()).rejects.toMatchObject({ kind: "refused" });
    });
  });
}

/** What every holder of model time must do. */
export function clockConformance(name: string, make: () => Promise<ClockUnderTest>): void {
  describe(`${name} as a clock`, () => {
    let under: ClockUnderTest;
    beforeAll(async () => {
      under = await make();
    });
    afterAll(() => under.close());

    it("never goes back, and wakes at an asked-for instant under its key, once", async () => {
      const { clock } = under;
      const now = await clock.now();
      expect(await clock.now()).toBeGreaterThanOrEqual(now);
      await under.hurry();
      const at = now + 90_000;
      await clock.begin([{ key: "conformance/wake", kind: "wake", at, foreground: true }]);
      await clock.begin([{ key: "conformance/wake", kind: "wake", at, foreground: true }]);
      const { events } = await clock.next({ acknowledge: [], waitMs: 5_000 });
      expect(events.map((e) => [e.key, e.instant])).toEqual([["conformance/wake", at]]);
      // It stands still until that is acknowledged.
      expect(await clock.now()).toBe(at);
      // What is begun with the acknowledgement begins at that instant, before time goes on.
      const begin = [{ key: "conformance/flow", kind: "act" as const, action: { type: "tell" as const, enclave: "conformance", to: "nobody", text: "x" }, takes: 60, foreground: true }];
      const later = (await clock.next({ begin, acknowledge: events.map((e) => e.seq), waitMs: 5_000 })).events;
      expect(later.map((e) => [e.key, e.instant])).toEqual([["conformance/flow", at + 60_000]]);
      expect((await clock.next({ acknowledge: later.map((e) => e.seq), waitMs: 50 })).events).toEqual([]);
      expect(await clock.now()).toBeGreaterThanOrEqual(at + 60_000);
    });

    it("forgets what is cancelled", async () => {
      const { clock } = under;
      await clock.begin([{ key: "conformance/never", kind: "wake", at: (await clock.now()) + 3_600_000_000, foreground: false }]);
      await clock.cancel(["conformance/never"]);
      expect((await clock.next({ acknowledge: [], waitMs: 100 })).events).toEqual([]);
    });
  });
}
