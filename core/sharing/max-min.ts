/**
 * Max–min fair sharing by progressive filling: all rates rise together in proportion to their
 * weights until a resource is full; the flows over it stop there, the others rise on.
 *
 * Each flow may use a resource with a coefficient (bytes there per byte of the flow) and may be
 * capped by itself. A flow over a resource without capacity gets 0; a flow bound by nothing gets
 * Infinity. Complexity: rounds ≤ flows + resources, each linear in the uses.
 *
 * Source: Bertsekas & Gallager, Data Networks, section 6.5.2 (from memory). Checked against the
 * published case in max-min.test.ts.
 */
export type SharedFlow = { uses: readonly { resource: string; coefficient: number }[]; weight?: number; cap?: number };

export function maxMinShares(capacities: ReadonlyMap<string, number>, flows: readonly SharedFlow[]): { rates: number[]; boundBy: (string | "cap" | "nothing")[] } {
  const rates = flows.map(() => 0);
  const boundBy: string[] = flows.map(() => "nothing");
  const left = new Map(capacities);
  let rising = flows.map((_, i) => i);
  while (rising.length > 0) {
    const load = new Map<string, number>();
    for (const i of rising) {
      const { uses, weight = 1 } = flows[i]!;
      for (const { resource, coefficient } of uses) load.set(resource, (load.get(resource) ?? 0) + coefficient * weight);
    }
    let step = Infinity;
    for (const [resource, sum] of load) if (sum > 0) step = Math.min(step, Math.max(0, left.get(resource) ?? 0) / sum);
    for (const i of rising) {
      const { cap, weight = 1 } = flows[i]!;
      if (cap !== undefined) step = Math.min(step, Math.max(0, cap - rates[i]!) / weight);
    }
    if (step === Infinity) {
      for (const i of rising) rates[i] = Infinity;
      break;
    }
    for (const i of rising) rates[i]! += step * (flows[i]!.weight ?? 1);
    for (const [resource, sum] of load) left.set(resource, (left.get(resource) ?? 0) - step * sum);
    const full = new Set([...load].filter(([r, sum]) => sum > 0 && left.get(r)! <= 1e-9 * Math.max(1, capacities.get(r) ?? 0)).map(([r]) => r));
    rising = rising.filter((i) => {
      const { uses, cap } = flows[i]!;
      if (cap !== undefined && rates[i]! >= cap * (1 - 1e-12)) {
        boundBy[i] = "cap";
        return false;
      }
      const hit = uses.find((use) => use.coefficient > 0 && full.has(use.resource));
      if (!hit) return true;
      boundBy[i] = hit.resource;
      return false;
    });
  }
  return { rates, boundBy };
}
