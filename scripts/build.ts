import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const STAMP = "build/.made-from";
const SOURCES = ["app", "core", "formats", "engine", "server", "standins", "package-lock.json", "vite.config.ts", "react-router.config.ts"];

/** Builds the pages unless they were built from the same files. */
export async function buildIfChanged(): Promise<void> {
  const stamp = stampOf();
  if (existsSync(STAMP) && readFileSync(STAMP, "utf8") === stamp) return;
  console.log("Building the pages ...");
  const built = spawnSync(process.execPath, ["node_modules/@react-router/dev/bin.js", "build"], { encoding: "utf8", env: { ...process.env, NODE_ENV: "production" } });
  // What it says is about its own parts, and helps only where it fails.
  if (built.status !== 0) throw new Error(`the pages could not be built:\n${built.stdout}${built.stderr}`);
  writeFileSync(STAMP, stamp);
}

function stampOf(): string {
  const hash = createHash("sha256");
  const add = (path: string): void => {
    if (statSync(path).isDirectory()) for (const name of readdirSync(path).sort()) add(join(path, name));
    else hash.update(path).update(readFileSync(path));
  };
  for (const source of SOURCES) add(source);
  return hash.digest("hex");
}
