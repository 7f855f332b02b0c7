/** Quantities as people write them: `64 GiB`, `15 min`, `2 Gbit/s`. One number, one unit. */
const SIZES: Record<string, number> = { B: 1, KiB: 2 ** 10, MiB: 2 ** 20, GiB: 2 ** 30, TiB: 2 ** 40 };
const DURATIONS: Record<string, number> = { s: 1, min: 60, h: 3600, d: 86_400 };
const RATES: Record<string, number> = { "kbit/s": 125, "Mbit/s": 125_000, "Gbit/s": 125_000_000, "MiB/s": 2 ** 20, "GiB/s": 2 ** 30, "MiB/h": 2 ** 20 / 3600, "GiB/h": 2 ** 30 / 3600 };

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

/** `07:30` as minutes of the day. */
export const readClock = (text: string): number => Number(text.slice(0, 2)) * 60 + Number(text.slice(3, 5));
