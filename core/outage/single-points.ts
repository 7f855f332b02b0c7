import type { Estate, ServiceId } from "../estate/model.ts";
import { addBits, dependentBits, placesOf, type ServiceBits } from "../graph/dependents.ts";

/** A thing whose loss alone takes several services down. */
export type SinglePoint = {
  kind: "service" | "machine" | "host";
  id: string;
  name: string;
  services: ServiceId[];
  /** How many of them by tier, the first tier first. */
  byTier: number[];
  /** The shortest RTO among them, seconds. */
  tightestRto: number;
};

const TIERS = 4;

/**
 * What takes at least `least` services with it when it fails by itself, the worst first: by services
 * of the first tier, then of the second and so on, then by the tightest RTO. Sites and hazards are
 * left to the map: that they take much is no surprise.
 */
export function singlePoints(estate: Estate, least = 2, most = 100): SinglePoint[] {
  const dependents = dependentBits(estate);
  const words = Math.ceil(estate.services.length / 32);
  const usedBy = new Map<string, ServiceBits>();
  const add = (id: string, bits: ServiceBits): void => {
    const had = usedBy.get(id) ?? new Uint32Array(words);
    addBits(had, bits);
    usedBy.set(id, had);
  };
  for (const service of estate.services) for (const machine of service.machines) add(machine, dependents.get(service.id)!);
  const onHost = new Map<string, ServiceBits>();
  for (const machine of estate.machines) {
    const bits = usedBy.get(machine.id);
    if (!bits) continue;
    const had = onHost.get(machine.host) ?? new Uint32Array(words);
    addBits(had, bits);
    onHost.set(machine.host, had);
  }
  const points = [
    ...estate.services.map((s) => ({ kind: "service" as const, id: s.id, name: s.name, bits: dependents.get(s.id)! })),
    ...estate.machines.flatMap((m) => (usedBy.has(m.id) ? [{ kind: "machine" as const, id: m.id, name: m.name, bits: usedBy.get(m.id)! }] : [])),
    ...estate.hosts.flatMap((h) => (onHost.has(h.id) ? [{ kind: "host" as const, id: h.id, name: h.name, bits: onHost.get(h.id)! }] : [])),
  ];
  const tiers = estate.services.map((s) => s.tier);
  return points
    .map(({ bits, ...point }) => {
      const places = placesOf(bits);
      const byTier = Array.from({ length: TIERS }, () => 0);
      for (const i of places) byTier[tiers[i]! - 1]!++;
      return { ...point, places, byTier, tightestRto: places.reduce((least, i) => Math.min(least, estate.services[i]!.rto), Infinity) };
    })
    .filter((p) => p.places.length >= least)
    .sort((a, b) => compareTiers(a.byTier, b.byTier) || a.tightestRto - b.tightestRto || (a.id < b.id ? -1 : 1))
    .slice(0, most)
    .map(({ places, ...p }) => ({ ...p, services: places.map((i) => estate.services[i]!.id) }));
}

function compareTiers(a: readonly number[], b: readonly number[]): number {
  for (let i = 0; i < TIERS; i++) if (a[i] !== b[i]) return b[i]! - a[i]!;
  return 0;
}
