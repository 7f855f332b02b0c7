import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { benchCapture } from "./capture.ts";
import { benchEstate } from "./estate.ts";
import { benchGraph } from "./graph.ts";
import { benchReadiness } from "./readiness.ts";

/** One figure: a measured value against a reference measured in the same run. */
export type Figure = { name: string; unit: string; value: number; reference: number; ratio: number; meaning: string };

const json = process.argv.includes("--json");
const folder = mkdtempSync(join(process.env["BENCH_FOLDER"] ?? tmpdir(), "ypo-bench-"));
const report = (f: Figure): void =>
  console.log(json ? JSON.stringify({ name: f.name, value: f.value, reference: f.reference, ratio: f.ratio }) : `${f.name.padEnd(34)} ${f.value.toFixed(1).padStart(9)} ${f.unit.padEnd(6)} against ${f.reference.toFixed(1).padStart(9)}   ratio ${f.ratio.toFixed(3)}   ${f.meaning}`);
try {
  await benchGraph(report);
  await benchCapture(folder, report);
  await benchReadiness(folder, report);
  await benchEstate(folder, report);
} finally {
  rmSync(folder, { recursive: true, force: true });
}
