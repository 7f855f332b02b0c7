import { mkdtemp, readdir, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { EngineError } from "../errors.ts";
import { FolderStore } from "./folder-store.ts";
import { BucketStore } from "./bucket-store.ts";
import { PROBE_STEPS, probeStore } from "./probe.ts";
import type { Store } from "./store.ts";

/** A folder store of which one act goes wrong. */
async function withTrouble(change: (store: Store) => Partial<Store>, check: (outcomes: Record<string, string>, words: string, left: string[]) => void): Promise<void> {
  const path = await mkdtemp(join(tmpdir(), "ypo-probe-"));
  try {
    const folder = new FolderStore("s", path);
    const troubled = change(folder);
    const store = new Proxy(folder, { get: (target, key) => (key in troubled ? Reflect.get(troubled, key) : (Reflect.get(target, key) as () => unknown).bind?.(target)) });
    const steps = await probeStore(store);
    expect(steps.map((s) => s.what)).toEqual([...PROBE_STEPS]);
    check(Object.fromEntries(steps.map((s) => [s.what, s.outcome])), steps.find((s) => s.outcome === "wrong")?.words ?? "", await readdir(join(path, "probe")).catch(() => []));
  } finally {
    await rm(path, { recursive: true });
  }
}

describe("trying a store", () => {
  it("writes, reads back, lists, deletes and leaves nothing behind", () =>
    withTrouble(
      () => ({}),
      (outcomes, wrong, left) => {
        expect(Object.values(outcomes).every((o) => o === "good")).toBe(true);
        expect([wrong, left]).toEqual(["", []]);
      },
    ));

  it("stops at what is wrong, names it, and takes away what it wrote", async () => {
    const good = { "sign in": "good", write: "good" };
    await withTrouble(
      (s) => ({ get: async (name: string) => Buffer.concat([(await s.get(name)).subarray(1), Buffer.from("x")]) }),
      (outcomes, words, left) => {
        expect(outcomes).toEqual({ ...good, "read back": "wrong", list: "untried", delete: "untried", room: "untried" });
        expect(words).toContain("cannot be trusted");
        expect(left).toEqual([]);
      },
    );
    await withTrouble(
      () => ({ put: () => Promise.reject(new EngineError("full", "no room is left")) }),
      (outcomes) => expect(outcomes).toMatchObject({ "sign in": "good", write: "wrong", "read back": "untried" }),
    );
    await withTrouble(
      () => ({ delete: () => Promise.resolve() }),
      (outcomes, words) => {
        expect(outcomes).toMatchObject({ list: "good", delete: "wrong", room: "untried" });
        expect(words).toContain("is it locked");
      },
    );
    await withTrouble(
      () => ({ room: () => Promise.resolve({ freeBytes: 10, totalBytes: 2 ** 40 }) }),
      (outcomes) => expect(outcomes).toMatchObject({ delete: "good", room: "wrong" }),
    );
  });

  it("says when nothing answers", async () => {
    const steps = await probeStore(new BucketStore("b", { endpoint: "http://127.0.0.1:9", region: "r", bucket: "b", accessKeyId: "k", secretAccessKey: "s" }));
    expect(steps.map((s) => s.outcome)).toEqual(["wrong", "untried", "untried", "untried", "untried", "untried"]);
    expect(steps[0]!.words).toMatch(/ECONNREFUSED/);
  });
});
