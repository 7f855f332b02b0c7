import { type ChildProcess, spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { removeCluster } from "../scripts/postgres.ts";

/** Starts the demo as people do, with a short past, in a folder of its own. */
export default async function startInstallation(): Promise<() => Promise<void>> {
  // One that stands already may be named, to try a test again and again.
  if (process.env["E2E_DATA"]) return async () => undefined;
  const data = mkdtempSync(join(tmpdir(), "ypo-e2e-"));
  mkdirSync(data, { recursive: true });
  process.env["E2E_DATA"] = data;
  const demo = startDemo(data);
  const began = Date.now();
  await ready(demo);
  console.log(`the demo stood after ${Math.round((Date.now() - began) / 1000)} s`);
  return async () => {
    await stopDemo(data);
    removeCluster(data);
    rmSync(data, { recursive: true, force: true });
  };
}

export function startDemo(data: string): ChildProcess {
  return spawn(process.execPath, ["scripts/run.mjs", "scripts/demo.ts"], { env: { ...process.env, YPOSTASIS_DATA: data, YPOSTASIS_PAST: "short" }, stdio: ["ignore", "pipe", "inherit"], detached: true });
}

/** Resolves with everything the demo printed until it stood. */
export function ready(demo: ChildProcess): Promise<string> {
  return new Promise((done, fail) => {
    let text = "";
    demo.stdout!.on("data", (bytes: Buffer) => {
      text += bytes.toString();
      if (text.includes("Ctrl+C stops everything")) done(text);
    });
    demo.once("exit", (code) => fail(new Error(`the demo ended with ${code}:\n${text}`)));
  });
}

export const demoPid = (data: string): number => Number(readFileSync(join(data, "running.pid"), "utf8"));

export async function stopDemo(data: string, signal: NodeJS.Signals = "SIGINT"): Promise<void> {
  const pid = demoPid(data);
  process.kill(pid, signal);
  for (let i = 0; i < 300; i++) {
    try {
      process.kill(pid, 0);
    } catch {
      return;
    }
    await new Promise((done) => setTimeout(done, 100));
  }
  throw new Error("the demo did not stop within 30 s");
}
