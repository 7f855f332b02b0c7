/** Quantities as people write them: `64 GiB`, `15 min`, `2 Gbit/s`. One number, one unit. */
const SIZES: Record<string, number> = { B: 1, KiB: 2 ** 10, MiB: 2 ** 20, GiB: 2 ** 30, TiB: 2 ** 40 };
const DURATIONS: Record<string, number> = { s: 1, min: 60, h: 3600, d: 86_400 };
const RATES: Record<string, number> = { "B/s": 1, "kbit/s": 125, "Mbit/s": 125_000, "Gbit/s": 125_000_000, "MiB/s": 2 ** 20, "GiB/s": 2 ** 30, "MiB/h": 2 ** 20 / 3600, "GiB/h": 2 ** 30 / 3600 };

const pattern = (units: Record<string, number>): string => `^[0-9]+(\\.[0-9]+)? (${Object.keys(units).map((u) => u.replace("/", "\\/")).join("|")})$`;

export const SIZE_PATTERN = pattern(SIZES);
export const DURATION_PATTERN = pattern(DURATIONS);
export const RATE_PATTERN = pattern(RATES);

const read = (units: Record<string, number>, text: string): number => {
  const [number, unit] = text.split(" ");
  return Number(number) * units[unit!]!;
};

export const readSize = (text: string): number => Math.round(read(SIZES, text));
export const readDuration = (text: string): number => read(DURATIONS, text);
export const readRate = (text: string): number => read(RATES, text);

/** The writing with the fewest digits, of at most two decimals, that reads back as exactly the same number, else the smallest unit with all digits. */
function write(units: Record<string, number>, value: number, readBack: (text: string) => number): string {
  const bySize = Object.entries(units).sort(([, a], [, b]) => b - a);
  const tries = bySize.filter(([, size]) => value >= size).map(([unit, size]) => `${Number((value / size).toFixed(2))} ${unit}`);
  const exact = tries.filter((text) => /^[0-9.]+ /.test(text) && readBack(text) === value).sort((a, b) => a.indexOf(" ") - b.indexOf(" "))[0];
  const [smallest, least] = bySize.at(-1)!;
  const digits = String(value / least);
  // The patterns take no exponent.
  return exact ?? `${digits.includes("e") ? (value / least).toFixed(60).replace(/\.?0+$/, "") : digits} ${smallest}`;
}

export const writeSize = (bytes: number): string => write(SIZES, bytes, readSize);
export const writeDuration = (seconds: number): string => write(DURATIONS, seconds, readDuration);
export const writeRate = (bytesPerSecond: number): string => write(RATES, bytesPerSecond, readRate);
export const writeClock = (minutes: number): string => `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}`;

/** Any quantity as its kind and number, so that two writings can be compared; undefined for other text. */
export function readQuantity(text: string): string | undefined {
  for (const [kind, units] of Object.entries({ size: SIZES, duration: DURATIONS, rate: RATES })) if (new RegExp(pattern(units)).test(text)) return `${kind} ${read(units, text)}`;
  return undefined;
}

/** `07:30` as minutes of the day. */
export const readClock = (text: string): number => Number(text.slice(0, 2)) * 60 + Number(text.slice(3, 5));
