import { alg, Graph } from "@dagrejs/graphlib";
import ELK from "elkjs/lib/elk.bundled.js";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Estate } from "../estate/model.ts";
import { smallEstate } from "../tests/small-estate.ts";
import { edgesAmong, mostCarrying } from "./carriers.ts";
import { dependentBits, placesOf } from "./dependents.ts";
import { layoutGraph } from "./layout.ts";
import { dependencyLoops } from "./loops.ts";
import { reachFrom, wayTo } from "./reach.ts";
import { strongGroups } from "./strong-groups.ts";

/** A random directed graph as a list of edges between numbered nodes. */
const graphs = fc.integer({ min: 1, max: 24 }).chain((n) => fc.record({ n: fc.constant(n), edges: fc.array(fc.tuple(fc.nat(n - 1), fc.nat(n - 1)), { maxLength: 70 }) }));
type Given = { n: number; edges: [number, number][] };
const named = (i: number): string => `s${i}`;

function reference({ n, edges }: Given): Graph {
  const graph = new Graph({ directed: true });
  for (let i = 0; i < n; i++) graph.setNode(named(i));
  for (const [a, b] of edges) if (a !== b) graph.setEdge(named(a), named(b));
  return graph;
}

function servicesOf({ n, edges }: Given, strength: (i: number) => "hard" | "soft" = () => "hard"): Estate {
  const estate = smallEstate();
  const [pattern] = estate.services;
  const services = Array.from({ length: n }, (_, i) => ({ ...pattern!, id: named(i), dependsOn: edges.flatMap(([a, b], k) => (a === i && b !== i ? [{ service: named(b), strength: strength(k) }] : [])) }));
  return { ...estate, services };
}

/** Chained diamonds: 0 → 1, 2 → 3 → 4, 5 → 6 …: 2^k ways from end to end. */
const diamonds = (count: number): Given => ({ n: 3 * count + 1, edges: Array.from({ length: count }, (_, i): [number, number][] => [[3 * i, 3 * i + 1], [3 * i, 3 * i + 2], [3 * i + 1, 3 * i + 3], [3 * i + 2, 3 * i + 3]]).flat() });

describe("graph functions against @dagrejs/graphlib", () => {
  it("finds the same strong groups, in an order in which each comes after those it points to", () => {
    fc.assert(
      fc.property(graphs, (given) => {
        const graph = reference(given);
        const mine = strongGroups(graph.nodes(), (id) => graph.successors(id) ?? []);
        const sorted = (groups: readonly (readonly string[])[]): string[] => groups.map((g) => [...g].sort().join()).sort();
        expect(sorted(mine)).toEqual(sorted(alg.tarjan(graph)));
        const place = new Map(mine.flatMap((g, i) => g.map((id) => [id, i] as const)));
        for (const { v, w } of graph.edges()) expect(place.get(v)!).toBeGreaterThanOrEqual(place.get(w)!);
      }),
    );
  });

  it("reaches what Dijkstra's algorithm reaches, by ways as short", () => {
    fc.assert(
      fc.property(graphs, (given) => {
        const graph = reference(given);
        const reached = reachFrom("s0", (id) => graph.successors(id) ?? []);
        const distances = alg.dijkstra(graph, "s0", () => 1, (v) => graph.outEdges(v) ?? []);
        for (const id of graph.nodes()) {
          expect(reached.has(id)).toBe(Number.isFinite(distances[id]!.distance));
          if (reached.has(id)) expect(wayTo(reached, id)).toHaveLength(distances[id]!.distance + 1);
        }
      }),
    );
  });

  it("counts as dependents exactly what has a way to a service", () => {
    fc.assert(
      fc.property(graphs, (given) => {
        const graph = reference(given);
        const all = alg.dijkstraAll(graph, () => 1, (v) => graph.outEdges(v) ?? []);
        const bits = dependentBits(servicesOf(given));
        for (const id of graph.nodes()) expect(placesOf(bits.get(id)!).map(named)).toEqual(graph.nodes().filter((other) => Number.isFinite(all[other]![id]!.distance)));
      }),
    );
  });

  it("takes a loop for broken by soft dependencies exactly where the hard ones have no cycle", () => {
    fc.assert(
      fc.property(graphs, fc.array(fc.boolean(), { minLength: 70, maxLength: 70 }), (given, soft) => {
        const estate = servicesOf(given, (k) => (soft[k] ? "soft" : "hard"));
        for (const loop of dependencyLoops(estate)) {
          const hard = new Graph({ directed: true });
          for (const s of estate.services) if (loop.services.includes(s.id)) for (const d of s.dependsOn) if (d.strength === "hard" && loop.services.includes(d.service)) hard.setEdge(s.id, d.service);
          expect(loop.broken).toBe(alg.isAcyclic(hard) ? "soft" : null);
        }
      }),
    );
  });

  it("joins services that are shown exactly where a way leads past those that are not", () => {
    fc.assert(
      fc.property(graphs, fc.array(fc.boolean(), { minLength: 24, maxLength: 24 }), (given, picked) => {
        const estate = servicesOf(given);
        const shown = new Set(estate.services.map((s) => s.id).filter((_, i) => picked[i]));
        const graph = reference(given);
        const edges = new Set(edgesAmong(estate, shown).map((e) => `${e.from} ${e.to}`));
        for (const a of shown) {
          // Between two that are shown only hidden ones may stand: others have no way on.
          const past = new Graph({ directed: true });
          for (const id of graph.nodes()) past.setNode(id);
          for (const { v, w } of graph.edges()) if (v === a || !shown.has(v)) past.setEdge(v, w);
          const distances = alg.dijkstra(past, a, () => 1, (v) => past.outEdges(v) ?? []);
          for (const b of shown) if (a !== b) expect(edges.has(`${a} ${b}`)).toBe(Number.isFinite(distances[b]!.distance));
        }
      }),
    );
    // Of five chained diamonds the end carries all, each side of the last all before them and itself not the other.
    expect(mostCarrying(servicesOf(diamonds(5)), 3)).toEqual([{ id: "s15", carries: 15 }, { id: "s13", carries: 13 }, { id: "s14", carries: 13 }]);
  });

  it("goes through a hundred chained diamonds without trying their 2^100 ways", () => {
    const given = diamonds(100);
    const graph = reference(given);
    const last = named(given.n - 1);
    expect(wayTo(reachFrom("s0", (id) => graph.successors(id) ?? []), last)).toHaveLength(201);
    const bits = dependentBits(servicesOf(given));
    expect(placesOf(bits.get(last)!)).toHaveLength(given.n);
    expect(placesOf(bits.get("s0")!)).toEqual([0]);
    expect(strongGroups(graph.nodes(), (id) => graph.successors(id) ?? [])).toHaveLength(given.n);
  });
});

describe("loops", () => {
  const loop: Given = { n: 2, edges: [[0, 1], [1, 0]] };
  it("is broken by a stated order, and not by one that names two alike", () => {
    const estate = servicesOf(loop);
    expect(dependencyLoops(estate)).toEqual([{ services: ["s0", "s1"], broken: null, open: [["s0", "s1"]] }]);
    const ordered = (a: number, b: number) => ({ ...estate, services: estate.services.map((s, i) => ({ ...s, startOrder: i === 0 ? a : b })) });
    expect(dependencyLoops(ordered(2, 1))[0]!.broken).toBe("order");
    expect(dependencyLoops(ordered(1, 1))[0]!.broken).toBeNull();
  });
});

describe("layout", () => {
  const elk = new ELK();
  it("puts every box apart from every other, what needs left of what is needed, a loop in one place", async () => {
    await fc.assert(
      fc.asyncProperty(graphs, async (given) => {
        const graph = reference(given);
        const group = new Map(strongGroups(graph.nodes(), (id) => graph.successors(id) ?? []).flatMap((g) => (g.length > 1 ? g.map((id) => [id, `loop/${g[0]}`] as const) : [])));
        const nodes = graph.nodes().map((id) => ({ id, width: 100, height: 24, ...(group.has(id) ? { group: group.get(id)! } : {}) }));
        const laid = await layoutGraph({ nodes, edges: graph.edges().map(({ v, w }) => ({ id: `${v}>${w}`, from: v, to: w })) }, elk);
        expect(laid.nodes).toHaveLength(given.n);
        for (const a of laid.nodes) for (const b of laid.nodes) if (a.id < b.id) expect(a.x + a.width <= b.x || b.x + b.width <= a.x || a.y + a.height <= b.y || b.y + b.height <= a.y).toBe(true);
        const at = new Map(laid.nodes.map((n) => [n.id, n]));
        for (const { v, w } of graph.edges()) if (group.get(v) === undefined || group.get(v) !== group.get(w)) expect(at.get(v)!.x).toBeLessThan(at.get(w)!.x);
        for (const g of laid.groups) for (const [id, of] of group) if (of === g.id) expect(at.get(id)!.x >= g.x && at.get(id)!.y >= g.y && at.get(id)!.y + 24 <= g.y + g.height).toBe(true);
      }),
      { numRuns: 25 },
    );
  });
  it("lays out nothing", async () => expect(await layoutGraph({ nodes: [], edges: [] }, elk)).toMatchObject({ nodes: [], edges: [] }));
});
