import { describe, expect, it } from "vitest";
import { isEngineError } from "../../errors.ts";
import type { Store } from "../store.ts";

/** What every kind of store must do; a stand-in passes the same as the real thing. */
export function storeConformance(name: string, make: () => Promise<{ store: Store; unreachable: Store; wrongAccount?: Store }>): void {
  describe(`store contract: ${name}`, () => {
    const listed = async (store: Store, prefix: string): Promise<string[]> => {
      const names: string[] = [];
      for await (const item of store.list(prefix)) names.push(`${item.name}=${item.bytes}`);
      return names.sort();
    };
    const kindOf = async (act: Promise<unknown>): Promise<string> =>
      act.then(
        () => "no error",
        (error: unknown) => (isEngineError(error) ? error.kind : `foreign: ${String(error)}`),
      );

    it("gives back what was put, whole and by range", async () => {
      const { store } = await make();
      const bytes = Buffer.from(Array.from({ length: 100_000 }, (_, i) => (i * 7919) & 255));
      await store.put("blobs/sha256/aa", bytes);
      await store.put("empty", Buffer.alloc(0));
      expect((await store.get("blobs/sha256/aa")).equals(bytes)).toBe(true);
      expect((await store.get("empty")).length).toBe(0);
      expect((await store.get("blobs/sha256/aa", { from: 5, to: 25 })).equals(bytes.subarray(5, 25))).toBe(true);
      expect((await store.get("blobs/sha256/aa", { from: 99_990, to: 200_000 })).equals(bytes.subarray(99_990))).toBe(true);
      expect((await store.get("blobs/sha256/aa", { from: 7, to: 7 })).length).toBe(0);
      expect(await store.size("blobs/sha256/aa")).toBe(100_000);
    });

    it("lists by prefix, beyond one page, and forgets what is deleted", async () => {
      const { store } = await make();
      await Promise.all(Array.from({ length: 1_105 }, (_, i) => store.put(`many/${String(i).padStart(4, "0")}`, Buffer.from("x"))));
      await store.put("manyfold", Buffer.from("abc"));
      expect((await listed(store, "many/")).length).toBe(1_105);
      expect(await listed(store, "many/110")).toEqual(["many/1100=1", "many/1101=1", "many/1102=1", "many/1103=1", "many/1104=1"]);
      expect((await listed(store, "many")).length).toBe(1_106);
      expect(await listed(store, "none/")).toEqual([]);
      await store.delete("manyfold");
      await store.delete("manyfold");
      expect(await store.size("manyfold")).toBeUndefined();
    });

    it("says which kind of failure it was", async () => {
      const { store, unreachable, wrongAccount } = await make();
      expect(await kindOf(store.get("blobs/none"))).toBe("missing");
      expect(["missing", "unreachable"]).toContain(await kindOf(unreachable.get("a")));
      expect(["missing", "unreachable"]).toContain(await kindOf(unreachable.put("a", Buffer.from("x"))));
      expect(["missing", "unreachable"]).toContain(await kindOf(listed(unreachable, "")));
      if (wrongAccount) expect(await kindOf(wrongAccount.put("a", Buffer.from("x")))).toBe("refused");
    });

    it("refuses names that leave the store", async () => {
      const { store } = await make();
      for (const bad of ["../x", "/x", "a//b", "a/../b", "", "a b", "a/."]) await expect(store.put(bad, Buffer.from("x")), bad).rejects.toThrow(TypeError);
    });
  });
}
