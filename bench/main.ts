import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { benchCapture } from "./capture.ts";
import { benchEstate } from "./estate.ts";
import type { Figure } from "./figure.ts";
import { benchGraph } from "./graph.ts";
import { benchReadiness } from "./readiness.ts";

const json = process.argv.includes("--json");
const folder = mkdtempSync(join(process.env["BENCH_FOLDER"] ?? tmpdir(), "ypo-bench-"));
/** Small figures keep their digits. */
const digits = (n: number): string => n.toFixed(Math.abs(n) < 1 ? 3 : 1).padStart(9);
const report = (f: Figure): void =>
  console.log(json ? JSON.stringify({ name: f.name, value: f.value, reference: f.reference, ratio: f.ratio }) : `${f.name.padEnd(34)} ${digits(f.value)} ${f.unit.padEnd(6)} against ${digits(f.reference)}   ratio ${f.ratio.toFixed(3)}   ${f.meaning}`);
try {
  await benchGraph(report);
  await benchCapture(folder, report);
  await benchReadiness(folder, report);
  await benchEstate(folder, report);
} finally {
  rmSync(folder, { recursive: true, force: true });
}
