/** Words for durations, sizes and rates, the same on every page and in every sentence. */

const KIB = 1024;
const SIZE_UNITS = ["B", "KiB", "MiB", "GiB", "TiB", "PiB"] as const;

/** Three significant digits at most: `0 B`, `512 B`, `1.5 GiB`, `410 GiB`. */
export function sizeWords(bytes: number): string {
  let value = Math.abs(bytes);
  let unit = 0;
  while (value >= 999.5 && unit < SIZE_UNITS.length - 1) {
    value /= KIB;
    unit++;
  }
  return `${bytes < 0 ? "−" : ""}${threeDigits(value, unit === 0)} ${SIZE_UNITS[unit]}`;
}

/** Link rates are spoken of in bits: `100 Mbit/s`, `2 Gbit/s`. Takes bytes per second. */
export function linkRateWords(bytesPerSecond: number): string {
  let value = bytesPerSecond * 8;
  let unit = 0;
  const units = ["bit/s", "kbit/s", "Mbit/s", "Gbit/s", "Tbit/s"] as const;
  while (value >= 999.5 && unit < units.length - 1) {
    value /= 1000;
    unit++;
  }
  return `${threeDigits(value, unit === 0)} ${units[unit]}`;
}

export const rateWords = (bytesPerSecond: number): string => `${sizeWords(bytesPerSecond)}/s`;

const MINUTE = 60;
const HOUR = 3600;
const DAY = 86_400;

/**
 * Two units at most, rounded to the smaller one: `45 s`, `12 min`, `1 h 40 min`, `3 d 4 h`.
 * Under ten minutes seconds are shown where there are any: `4 min 20 s`.
 */
export function durationWords(seconds: number): string {
  if (!Number.isFinite(seconds)) return "never";
  const sign = seconds < 0 ? "−" : "";
  const s = Math.abs(seconds);
  if (s < 59.5) return `${sign}${Math.round(s)} s`;
  if (s < 10 * MINUTE - 0.5) return sign + pair(Math.round(s), MINUTE, "min", 1, "s");
  if (s < HOUR - 30) return `${sign}${Math.round(s / MINUTE)} min`;
  if (s < DAY - 30) return sign + pair(Math.round(s / MINUTE) * MINUTE, HOUR, "h", MINUTE, "min");
  return sign + pair(Math.round(s / HOUR) * HOUR, DAY, "d", HOUR, "h");
}

function pair(value: number, big: number, bigName: string, small: number, smallName: string): string {
  const whole = Math.floor(value / big);
  const rest = Math.round((value - whole * big) / small);
  return rest === 0 ? `${whole} ${bigName}` : `${whole} ${bigName} ${rest} ${smallName}`;
}

function threeDigits(value: number, whole: boolean): string {
  if (whole || value >= 99.5) return String(Math.round(value));
  return String(Number(value.toPrecision(value >= 9.95 ? 3 : 2)));
}

/** `1 machine`, `3 machines`. */
export const countWords = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`;

/** `a`, `a and b`, `a, b and c`; beyond `most` the rest is counted. */
export function listWords(items: readonly string[], most = 4): string {
  if (items.length <= 1) return items[0] ?? "";
  if (items.length > most) return `${items.slice(0, most - 1).join(", ")} and ${items.length - most + 1} more`;
  return `${items.slice(0, -1).join(", ")} and ${items.at(-1)}`;
}
