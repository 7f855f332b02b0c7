/**
 * Strongly connected groups in an order where every group comes after those it points to
 * (Tarjan 1972, iterative, linear). Edges to unknown nodes are ignored.
 */
export function strongGroups(nodes: readonly string[], edges: (node: string) => readonly string[]): string[][] {
  const known = new Set(nodes);
  const index = new Map<string, number>();
  const low = new Map<string, number>();
  const onStack = new Set<string>();
  const stack: string[] = [];
  const groups: string[][] = [];
  for (const root of nodes) {
    if (index.has(root)) continue;
    const work: { node: string; next: number; out: readonly string[] }[] = [];
    const enter = (node: string): void => {
      index.set(node, index.size);
      low.set(node, index.get(node)!);
      stack.push(node);
      onStack.add(node);
      work.push({ node, next: 0, out: edges(node).filter((to) => known.has(to)) });
    };
    enter(root);
    while (work.length > 0) {
      const top = work.at(-1)!;
      const to = top.out[top.next++];
      if (to !== undefined) {
        if (!index.has(to)) enter(to);
        else if (onStack.has(to)) low.set(top.node, Math.min(low.get(top.node)!, index.get(to)!));
        continue;
      }
      work.pop();
      const parent = work.at(-1);
      if (parent) low.set(parent.node, Math.min(low.get(parent.node)!, low.get(top.node)!));
      if (low.get(top.node) !== index.get(top.node)) continue;
      const group: string[] = [];
      for (;;) {
        const node = stack.pop()!;
        onStack.delete(node);
        group.push(node);
        if (node === top.node) break;
      }
      groups.push(group.reverse());
    }
  }
  return groups;
}
