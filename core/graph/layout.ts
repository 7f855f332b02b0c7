/** What is laid out: boxes with their size, and edges between them; members of one `group` stand together. */
export type LayoutNode = { id: string; width: number; height: number; group?: string };
export type LayoutEdge = { id: string; from: string; to: string };
export type LayoutRequest = { nodes: LayoutNode[]; edges: LayoutEdge[] };

export type Box = { id: string; x: number; y: number; width: number; height: number };
export type Layout = { width: number; height: number; nodes: Box[]; groups: Box[]; edges: { id: string; points: [number, number][] }[] };

/** Beyond so many nodes the quick ways of placing are taken. */
const MANY = 150;
const GAP = 8;
const GROUP_HEAD = 18;

/** A graph as the engine takes it, and as it gives it back with places (the part of ELK's JSON that is used). */
type EngineBox = { id: string; x?: number; y?: number; width?: number; height?: number };
type EngineEdge = { id: string; sources: string[]; targets: string[]; sections?: { id: string; startPoint: EnginePoint; endPoint: EnginePoint; bendPoints?: EnginePoint[] }[] };
type EnginePoint = { x: number; y: number };
type EngineGraph = EngineBox & { layoutOptions?: Record<string, string>; children?: EngineBox[]; edges?: EngineEdge[] };
/** Whoever lays out: in a worker, or here. */
export type LayoutEngine = { layout(graph: EngineGraph): Promise<EngineGraph> };

/**
 * Layers from left to right, what needs before what is needed (Sugiyama, Tagawa & Toda 1981, by
 * ELK's layered algorithm). A group is laid out as one box with its members one below the other, so
 * that a loop stands in one place.
 */
export async function layoutGraph({ nodes, edges }: LayoutRequest, engine: LayoutEngine): Promise<Layout> {
  const many = nodes.length > MANY;
  const groupOf = new Map(nodes.flatMap((n) => (n.group === undefined ? [] : [[n.id, n.group] as const])));
  const outer = (id: string): string => groupOf.get(id) ?? id;
  const members = new Map<string, LayoutNode[]>();
  for (const node of nodes) if (node.group !== undefined) members.set(node.group, [...(members.get(node.group) ?? []), node]);
  const children: EngineBox[] = [
    ...nodes.filter((n) => n.group === undefined).map(({ id, width, height }) => ({ id, width, height })),
    ...[...members].map(([id, of]) => ({ id, width: Math.max(...of.map((n) => n.width)) + 2 * GAP, height: GROUP_HEAD + of.reduce((sum, n) => sum + n.height + GAP, 0) })),
  ];
  const all: EngineGraph = {
    id: "all",
    layoutOptions: {
      "elk.algorithm": "layered",
      "elk.direction": "RIGHT",
      "elk.layered.spacing.nodeNodeBetweenLayers": "44",
      "elk.spacing.nodeNode": "12",
      "elk.edgeRouting": "POLYLINE",
      ...(many ? { "elk.layered.thoroughness": "1", "elk.layered.nodePlacement.strategy": "SIMPLE" } : {}),
    },
    children,
    edges: edges.filter((e) => outer(e.from) !== outer(e.to)).map((e) => ({ id: e.id, sources: [outer(e.from)], targets: [outer(e.to)] })),
  };
  const laid = await engine.layout(all);
  const boxes: Box[] = [];
  const groups: Box[] = [];
  for (const { id, x = 0, y = 0, width = 0, height = 0 } of laid.children ?? []) {
    const inside = members.get(id);
    if (!inside) {
      boxes.push({ id, x, y, width, height });
      continue;
    }
    groups.push({ id, x, y, width, height });
    let top = y + GROUP_HEAD;
    for (const node of inside) {
      boxes.push({ id: node.id, x: x + GAP, y: top, width: node.width, height: node.height });
      top += node.height + GAP;
    }
  }
  const lines = (laid.edges ?? []).map((e) => {
    const [section] = e.sections ?? [];
    const points = section ? [section.startPoint, ...(section.bendPoints ?? []), section.endPoint] : [];
    return { id: e.id, points: points.map((p): [number, number] => [p.x, p.y]) };
  });
  return { width: laid.width ?? 0, height: laid.height ?? 0, nodes: boxes, groups, edges: lines };
}
