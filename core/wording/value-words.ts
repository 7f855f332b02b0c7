import { durationWords, rateWords, sizeWords } from "./amounts.ts";

/** What a number of an estate's items means, by the name of its field: bytes, bytes a second, bytes an hour, seconds, milliseconds. */
const SIZES = new Set(["memory", "pool", "capacity", "quota", "size", "used", "hot"]);
const RATES = new Set(["rate", "backRate", "poolRate", "readRate", "writeRate", "randomReadRate"]);
const HOURLY = new Set(["written", "grown"]);
const DURATIONS = new Set(["detection", "decision", "nameSwitch", "message", "seconds", "prepare", "boot", "retrieval", "rto", "rpo", "mtd", "wrt", "after", "within", "every"]);

/** A value of an item as people read it: quantities with their unit, lists with commas, what is within others behind its name. */
export function valueWords(path: string, value: unknown): string {
  const key = path.split(".").at(-1)!;
  if (value === null || value === undefined) return "nothing";
  if (typeof value === "number") {
    // A platform's disks are sizes by the name of the disk.
    if (SIZES.has(key) || path.startsWith("disks.")) return sizeWords(value);
    if (RATES.has(key)) return rateWords(value);
    if (HOURLY.has(key)) return `${sizeWords(value)} an hour`;
    if (DURATIONS.has(key)) return durationWords(value);
    return key === "latencyMs" ? `${value} ms` : String(value);
  }
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value === "string") return value;
  if (Array.isArray(value)) return value.length === 0 ? "none" : value.map((v) => valueWords(key, v)).join("; ");
  return Object.entries(value)
    .map(([k, v]) => `${k} ${valueWords(k, v)}`)
    .join(", ");
}
