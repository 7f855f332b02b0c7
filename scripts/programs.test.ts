import { execFile } from "node:child_process";
import { mkdir, readdir, stat, symlink, utimes, writeFile } from "node:fs/promises";
import { join, resolve } from "node:path";
import { promisify } from "node:util";
import { describe, expect, it } from "vitest";
import { temporaryFolder } from "#engine/tests/temporary.ts";
import { programOf } from "./programs.mjs";

const node = promisify(execFile);

/** A project of two files, with the packages of this one. */
async function project(): Promise<{ root: string; write: (name: string, text: string) => Promise<void>; run: () => Promise<string> }> {
  const root = await temporaryFolder();
  await mkdir(join(root, "node_modules"));
  await symlink(resolve("node_modules/yaml"), join(root, "node_modules/yaml"));
  let changes = 0;
  const write = async (name: string, text: string): Promise<void> => {
    await writeFile(join(root, name), text);
    // Two changes within one tick of the file system's clock are still two.
    await utimes(join(root, name), new Date(), new Date(Date.now() + ++changes * 1_000));
  };
  await write("package.json", '{ "type": "module" }');
  await write("package-lock.json", "{}");
  await write("words.ts", 'export const words: readonly string[] = ["first"];');
  await write("main.ts", 'import { parse } from "yaml"; import { words } from "./words.ts"; process.stdout.write(words.join(" ") + parse("[1, 2]").length);');
  return { root, write, run: async () => (await node(process.execPath, [await programOf("main.ts", root)], { cwd: "/" })).stdout };
}

describe("a program", () => {
  it("is one file that runs anywhere, made again where a source has changed and only there", async () => {
    const { root, write, run } = await project();
    expect(await run()).toBe("first2");
    const made = async (): Promise<number> => (await stat(await programOf("main.ts", root))).mtimeMs;
    const before = await made();
    expect(await made()).toBe(before);
    await write("words.ts", 'export const words: readonly string[] = ["second", "third"];');
    expect(await run()).toBe("second third2");
    // An older file than the one before is another one too, as after going back to an earlier state.
    await write("words.ts", 'export const words: readonly string[] = ["first"];');
    await utimes(join(root, "words.ts"), new Date(0), new Date(0));
    expect(await run()).toBe("first2");
    await write("package-lock.json", "{ }");
    const after = await made();
    expect(after).toBeGreaterThan(before);
    // Nothing half written stays.
    expect((await readdir(join(root, "node_modules/.cache/programs"))).sort()).toEqual(["main.mjs", "main.mjs.map", "main.mjs.sources"]);
  });

  it("may be made by several at once", async () => {
    const { root, run } = await project();
    const paths = await Promise.all(Array.from({ length: 4 }, () => programOf("main.ts", root)));
    expect(new Set(paths).size).toBe(1);
    expect(await run()).toBe("first2");
  });

  it("whose source is wrong is refused with the place, though it was right before", async () => {
    const { root, write } = await project();
    await programOf("main.ts", root);
    await write("words.ts", "export const words = [;");
    await expect(programOf("main.ts", root)).rejects.toThrow(/words\.ts:1:22: ERROR/);
  });
});
