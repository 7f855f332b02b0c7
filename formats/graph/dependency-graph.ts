import type { Dependency, Estate, Strength } from "#core/estate/model.ts";

/** A dependency graph as it is exchanged: services by id, and which needs which. */
export type DependencyGraph = { nodes: { id: string; name: string | null; tier: number | null }[]; edges: { from: string; to: string; strength: Strength }[] };

/** A file that holds no dependency graph, with the line where it went wrong. */
export class GraphFileError extends Error {
  override readonly name = "GraphFileError";
  constructor(
    readonly line: number,
    message: string,
  ) {
    super(message);
  }
}

export const MOST_GRAPH_BYTES = 16 * 1024 * 1024;

export const graphOf = (estate: Estate): DependencyGraph => ({
  nodes: estate.services.map((s) => ({ id: s.id, name: s.name, tier: s.tier })),
  edges: estate.services.flatMap((s) => s.dependsOn.map((d) => ({ from: s.id, to: d.service, strength: d.strength }))),
});

/**
 * The estate with the dependencies of a graph: of every service that is a node there, exactly those
 * of the graph; of others, those they had. Throws `GraphFileError` for nodes that are no services.
 */
export function withGraph(estate: Estate, graph: DependencyGraph): Estate {
  const known = new Set(estate.services.map((s) => s.id));
  const strange = graph.nodes.filter((n) => !known.has(n.id)).map((n) => n.id);
  if (strange.length > 0) throw new GraphFileError(1, `the graph names ${strange.slice(0, 5).join(", ")}${strange.length > 5 ? ` and ${strange.length - 5} more` : ""}, and there is no such service; nodes are named by the ids of services`);
  const itself = graph.edges.find((e) => e.from === e.to);
  if (itself) throw new GraphFileError(1, `${itself.from} needs itself in the graph; a service cannot`);
  const needs = new Map<string, Map<string, Dependency>>(graph.nodes.map((n) => [n.id, new Map()]));
  for (const { from, to, strength } of graph.edges) if (needs.get(from)!.get(to)?.strength !== "hard") needs.get(from)!.set(to, { service: to, strength });
  return {
    ...estate,
    services: estate.services.map((service) => {
      const mine = needs.get(service.id);
      if (!mine) return service;
      // What stays keeps its place, so that a graph that says the same changes nothing.
      const kept = service.dependsOn.flatMap((d) => mine.get(d.service) ?? []);
      for (const d of service.dependsOn) mine.delete(d.service);
      return { ...service, dependsOn: [...kept, ...mine.values()] };
    }),
  };
}
