/** A lane for each machine in order of appearance; what belongs to no machine stands in the first. */
export function machineLanes<T extends { machine: string | null }>(bars: readonly T[]): { lanes: number; laneOf: Map<T, number> } {
  const machines = [...new Set(bars.flatMap((bar) => bar.machine ?? []))];
  return { lanes: Math.max(1, machines.length), laneOf: new Map(bars.map((bar) => [bar, bar.machine === null ? 0 : machines.indexOf(bar.machine)])) };
}
