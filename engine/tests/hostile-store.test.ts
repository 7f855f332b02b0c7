import { readdir, readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { bringBackTree } from "../bring-back.ts";
import { ONE_TO_ONE } from "../chunks/scale.ts";
import { CatalogueWriter, type CatalogueEntry } from "../points/catalogue.ts";
import { encodeConfig } from "../points/point.ts";
import { unpaced } from "../slices.ts";
import type { Vault } from "../vault.ts";
import { temporaryFolder, temporaryVault } from "./temporary.ts";

/** Publishes a point as somebody might who may write to the store but means harm. */
async function pointOf(vault: Vault, entries: CatalogueEntry[]): Promise<string> {
  await vault.load();
  const writer = new CatalogueWriter((page) => vault.putBlob(page));
  for (const entry of entries) await writer.add(entry);
  const config = { format: 1 as const, name: "bad", capturedAt: 0, kind: "folder" as const, scale: ONE_TO_ONE, catalogue: await writer.finish(), nominalBytes: 0, dataBytes: 0, changedBytes: 0, skipped: [], skippedCount: 0 };
  // Publishing would refuse some of these: whoever means harm writes the config by themselves.
  return vault.putBlob(encodeConfig(config));
}

const path = (text: string): Buffer => Buffer.from(text);

describe("a point that somebody made to do harm", () => {
  it("never writes outside the folder it is brought back to", async () => {
    const { vault } = await temporaryVault();
    const outside = await temporaryFolder();
    await writeFile(join(outside, "kept"), "as it was");
    const hostile: [string, CatalogueEntry[]][] = [
      ["through a link", [{ path: path("out"), type: "symlink", target: path(outside) }, { path: path("out/new"), type: "file", bytes: 0 }]],
      ["through a link below a folder", [{ path: path("a"), type: "folder" }, { path: path("a/out"), type: "symlink", target: path(outside) }, { path: path("a/out/deep"), type: "folder" }]],
      ["by a parent that is none", [{ path: path("x/y"), type: "file", bytes: 0 }]],
      ["upward", [{ path: path("../up"), type: "file", bytes: 0 }]],
      ["by a whole path", [{ path: path("/tmp/whole"), type: "file", bytes: 0 }]],
      ["by a hard link outward", [{ path: path("h"), type: "hardlink", target: path("../../etc/passwd") }]],
    ];
    for (const [how, entries] of hostile) {
      const id = await pointOf(vault, entries);
      const to = await temporaryFolder();
      await expect(bringBackTree([vault], id as never, join(to, "in"), unpaced()), how).rejects.toMatchObject({ kind: "damaged" });
      expect((await readdir(to)).filter((n) => n !== "in"), how).toEqual([]);
    }
    expect(await readdir(outside)).toEqual(["kept"]);
    expect(await readFile(join(outside, "kept"), "utf8")).toBe("as it was");
  });
});
