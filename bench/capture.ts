import { spawnSync } from "node:child_process";
import { createHash, randomFillSync } from "node:crypto";
import { createReadStream } from "node:fs";
import { open } from "node:fs/promises";
import { join } from "node:path";
import type { Figure } from "./figure.ts";

const GIB = 2 ** 30;
const MIB = 2 ** 20;

/** A file of which every other 64 KiB are noise and the rest text. */
async function makeImage(path: string, bytes: number): Promise<void> {
  const file = await open(path, "w");
  const part = Buffer.alloc(MIB);
  for (let at = 0; at < bytes; at += MIB) {
    for (let i = 0; i < MIB; i += 131_072) {
      randomFillSync(part, i, 65_536);
      part.fill(`block ${at + i} of a log that says much the same all day; `, i + 65_536, i + 131_072);
    }
    await file.write(part, 0, MIB, at);
  }
  await file.sync();
  await file.close();
}

async function changeOnePercent(path: string, bytes: number): Promise<void> {
  const file = await open(path, "r+");
  const block = 262_144;
  for (let i = 0; i < bytes / block; i += 100) await file.write(randomFillSync(Buffer.alloc(block)), 0, block, i * block);
  await file.close();
}

async function hashSeconds(path: string): Promise<number> {
  const began = process.hrtime.bigint();
  const hash = createHash("sha256");
  for await (const part of createReadStream(path, { highWaterMark: MIB })) hash.update(part as Buffer);
  hash.digest();
  return Number(process.hrtime.bigint() - began) / 1e9;
}

/** In a process of its own, whose peak memory is its own. */
function captureIn(image: string, store: string): { seconds: number; peakMib: number } {
  const { stdout, stderr, status } = spawnSync(process.execPath, ["scripts/run.mjs", "bench/capture-once.ts", image, store], { encoding: "utf8" });
  if (status !== 0) throw new Error(`capture failed: ${stderr}`);
  return JSON.parse(stdout) as { seconds: number; peakMib: number };
}

export async function benchCapture(folder: string, report: (figure: Figure) => void): Promise<void> {
  const small = join(folder, "1.img");
  await makeImage(small, GIB);
  await hashSeconds(small);
  const hash = await hashSeconds(small);
  const first = captureIn(small, join(folder, "s1"));
  const after = await hashSeconds(small);
  const reference = 1024 / Math.min(hash, after);
  const speed = 1024 / first.seconds;
  report({ name: "capture 1 GiB", unit: "MiB/s", value: speed, reference, ratio: speed / reference, meaning: "speed of capture over one stream of reading and SHA-256; aim 0.4 or more" });
  await changeOnePercent(small, GIB);
  const second = captureIn(small, join(folder, "s1"));
  report({ name: "second capture, 1 % changed", unit: "s", value: second.seconds, reference: first.seconds, ratio: second.seconds / first.seconds, meaning: "time over that of the first" });
  const large = join(folder, "4.img");
  await makeImage(large, 4 * GIB);
  const four = captureIn(large, join(folder, "s4"));
  report({ name: "peak memory, 4 GiB over 1 GiB", unit: "MiB", value: four.peakMib, reference: first.peakMib, ratio: four.peakMib / first.peakMib, meaning: "flat is 1" });
}
