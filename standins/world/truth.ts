import { parse } from "yaml";
import { readDuration, readRate, readSize, readClock } from "#formats/estate/quantities.ts";

/** How the stand-in world really is: its own seeded truth, which the estate's estimates only guess at. */
export type Truth = {
  seed: number;
  begins: number;
  timeZone: string;
  /** Spread of every duration: standard deviation of its logarithm. */
  spread: number;
  rates: Record<string, TrueRate>;
  machines: Record<string, TrueMachine>;
  services: Record<string, TrueService>;
  acts: { snapshot: number; prepare: number; switchName: number; tell: number };
};
export type TrueRate = { rate: number; limits: { days: number[]; from: number; to: number; rate: number }[] };
export type TrueDisk = { id: string; bytes: number; used: number; hot: number; writtenPerHour: number; grownPerHour: number; plainShare: number };
export type TrueMachine = { id: string; host: string; boot: number; disks: TrueDisk[] };
export type TrueService = { id: string; name: string; machines: string[]; needs: string[]; answers: number };

type RawTruth = {
  seed: number;
  begins: string;
  timeZone: string;
  spread: number;
  rates: Record<string, string | { rate: string; limits: { days: number[]; from: string; to: string; rate: string }[] }>;
  acts: { snapshot: string; prepare: string; switchName: string; tell: string };
  machines: Record<string, { host: string; boot: string; disks: Record<string, { size: string; used: string; hot: string; written: string; grown: string; plain: number }> }>;
  services: Record<string, { name: string; machines: string[]; needs: string[]; answers: string }>;
};

export function readTruth(text: string): Truth {
  const raw = parse(text) as RawTruth;
  const rates = Object.entries(raw.rates).map(([id, r]): [string, TrueRate] =>
    typeof r === "string" ? [id, { rate: readRate(r), limits: [] }] : [id, { rate: readRate(r.rate), limits: r.limits.map((l) => ({ days: l.days, from: readClock(l.from), to: readClock(l.to), rate: readRate(l.rate) })) }],
  );
  return {
    seed: raw.seed,
    begins: Date.parse(raw.begins),
    timeZone: raw.timeZone,
    spread: raw.spread,
    rates: Object.fromEntries(rates),
    acts: { snapshot: readDuration(raw.acts.snapshot), prepare: readDuration(raw.acts.prepare), switchName: readDuration(raw.acts.switchName), tell: readDuration(raw.acts.tell) },
    machines: Object.fromEntries(
      Object.entries(raw.machines).map(([id, m]) => [
        id,
        {
          id,
          host: m.host,
          boot: readDuration(m.boot),
          disks: Object.entries(m.disks).map(([disk, d]) => ({
            id: disk,
            bytes: readSize(d.size),
            used: readSize(d.used),
            hot: readSize(d.hot),
            writtenPerHour: readRate(d.written) * 3600,
            grownPerHour: readRate(d.grown) * 3600,
            plainShare: d.plain,
          })),
        },
      ]),
    ),
    services: Object.fromEntries(Object.entries(raw.services).map(([id, s]) => [id, { id, name: s.name, machines: s.machines, needs: s.needs, answers: readDuration(s.answers) }])),
  };
}
