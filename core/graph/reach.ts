/**
 * Breadth-first ways from a node along edges: every node reached with the node before it on a
 * shortest way, nearest first; the start itself maps to null. Each node is entered once, so chained
 * diamonds cost no more than their edges.
 */
export function reachFrom(start: string, edges: (node: string) => readonly string[], beyond: (node: string) => boolean = () => true): Map<string, string | null> {
  const before = new Map<string, string | null>([[start, null]]);
  const queue = [start];
  for (let i = 0; i < queue.length; i++) {
    const node = queue[i]!;
    if (node !== start && !beyond(node)) continue;
    for (const to of edges(node)) {
      if (before.has(to)) continue;
      before.set(to, node);
      queue.push(to);
    }
  }
  return before;
}

/** The nodes from the start of a search to one that it reached, both included. */
export function wayTo(reached: ReadonlyMap<string, string | null>, node: string): string[] {
  const way: string[] = [];
  for (let at: string | null = node; at !== null; at = reached.get(at) ?? null) way.push(at);
  return way.reverse();
}
