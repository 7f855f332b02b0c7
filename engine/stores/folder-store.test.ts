import { execFileSync } from "node:child_process";
import { mkdir } from "node:fs/promises";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { temporaryFolder } from "../tests/temporary.ts";
import { FolderStore } from "./folder-store.ts";
import { storeConformance } from "./tests/conformance.ts";

storeConformance("folder", async () => {
  const path = await temporaryFolder();
  return { store: new FolderStore("folder", path), unreachable: new FolderStore("gone", join(path, "not-mounted")) };
});

describe("a full folder store", () => {
  it("says that no room is left and leaves no half blob", async () => {
    const path = await temporaryFolder();
    const small = join(path, "small");
    await mkdir(small);
    try {
      execFileSync("mount", ["-t", "tmpfs", "-o", "size=256k", "none", small], { stdio: "ignore" });
    } catch {
      return; // only root may mount; the same error path is then not reachable here
    }
    try {
      const store = new FolderStore("small", small);
      await expect(store.put("a", Buffer.alloc(4 << 20, 1))).rejects.toMatchObject({ kind: "full" });
      expect(await store.size("a")).toBeUndefined();
      await store.put("b", Buffer.from("fits"));
      expect(String(await store.get("b"))).toBe("fits");
    } finally {
      execFileSync("umount", [small]);
    }
  });
});
