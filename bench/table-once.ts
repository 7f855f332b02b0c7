import { readFile } from "node:fs/promises";
import { readEstate } from "#formats/estate/read-estate.ts";
import { readTable } from "#formats/table/read-table.ts";

/** Reads one table over the demo's estate and prints the peak memory of this process. */
const { estate } = readEstate(await readFile("demo/estate.yaml", "utf8"));
const reading = await readTable(await readFile(process.argv[2]!), "machines", estate);
if (!reading.estate) throw new Error(JSON.stringify(reading.faults.slice(0, 3)));
console.log(JSON.stringify({ peakMib: process.resourceUsage().maxRSS / 1024 }));
