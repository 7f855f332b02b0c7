import { read as dotRead } from "graphlib-dot";
import { DirectedGraph } from "graphology";
import { parse as graphmlParse } from "graphology-graphml/node";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { smallEstate } from "#core/tests/small-estate.ts";
import { type DependencyGraph, GraphFileError, graphOf, withGraph } from "./dependency-graph.ts";
import { readDot, writeDot } from "./dot.ts";
import { readGraphml, writeGraphml } from "./graphml.ts";

const words = fc.string({ unit: fc.constantFrom(..."abz &<>\"'\\é→"), minLength: 1, maxLength: 8 }).map((s) => s.trim() || "x");
const graphs: fc.Arbitrary<DependencyGraph> = fc.integer({ min: 2, max: 12 }).chain((n) =>
  fc.record({
    nodes: fc.tuple(...Array.from({ length: n }, (_, i) => fc.record({ id: fc.constant(`s-${i}`), name: words, tier: fc.integer({ min: 1, max: 4 }) }))),
    edges: fc.uniqueArray(fc.record({ from: fc.nat(n - 1).map((i) => `s-${i}`), to: fc.nat(n - 1).map((i) => `s-${i}`), strength: fc.constantFrom("hard" as const, "soft" as const) }).filter((e) => e.from !== e.to), { maxLength: 30, selector: (e) => `${e.from} ${e.to}` }),
  }),
);
const edgeWords = (edges: readonly { from: string; to: string; strength: unknown }[]): string[] => edges.map((e) => `${e.from} ${e.to} ${String(e.strength)}`).sort();

describe("GraphML", () => {
  it("comes back as it went", () => fc.assert(fc.property(graphs, (graph) => void expect(readGraphml(writeGraphml(graph))).toEqual(graph))));
  it("is read by graphology as the same graph", () => {
    fc.assert(
      fc.property(graphs, (graph) => {
        const read = graphmlParse(DirectedGraph, writeGraphml(graph));
        expect(read.nodes()).toEqual(graph.nodes.map((n) => n.id));
        for (const n of graph.nodes) expect(read.getNodeAttribute(n.id, "tier")).toBe(n.tier);
        expect(edgeWords(read.mapEdges((_, a, from, to) => ({ from, to, strength: (a as { strength: string }).strength })))).toEqual(edgeWords(graph.edges));
      }),
    );
  });
  it.each([
    ["<a/>", "no GraphML"],
    ['<graphml xmlns="http://graphml.graphdrawing.org/xmlns"><graph edgedefault="undirected"/></graphml>', "undirected"],
    ['<graphml xmlns="http://graphml.graphdrawing.org/xmlns"><graph edgedefault="directed"><node id="a"/><edge source="a" target="b"/></graph></graphml>', "names b"],
    ['<!DOCTYPE graphml [<!ENTITY x "y">]><graphml xmlns="http://graphml.graphdrawing.org/xmlns"/>', "document type"],
    ['<graphml xmlns="http://graphml.graphdrawing.org/xmlns"><graph edgedefault="directed"><node id="a">', "unclosed"],
  ])("refuses %s", (text, words) => {
    expect(() => readGraphml(text)).toThrow(GraphFileError);
    expect(() => readGraphml(text)).toThrow(words);
  });
});

describe("DOT", () => {
  it("comes back as it went", () => fc.assert(fc.property(graphs, (graph) => void expect(readDot(writeDot(graph))).toEqual(graph))));
  it("is read by graphlib-dot as the same graph", () => {
    fc.assert(
      fc.property(graphs, (graph) => {
        const read = dotRead(writeDot(graph));
        expect(read.nodes()).toEqual(graph.nodes.map((n) => n.id));
        expect(edgeWords(read.edges().map(({ v, w }) => ({ from: v, to: w, strength: (read.edge(v, w) as { strength: string }).strength })))).toEqual(edgeWords(graph.edges));
      }),
    );
  });
  it("understands chains, subgraphs and what edges have in common", () => {
    const graph = readDot('digraph { edge [style=dashed]; a -> b -> { c d }; subgraph x { edge [strength=hard] e -> a } }');
    expect(edgeWords(graph.edges)).toEqual(["a b soft", "b c soft", "b d soft", "e a hard"]);
  });
  it("refuses what says not who needs whom, and says the line", () => {
    expect(() => readDot("graph { a -- b }")).toThrow("undirected");
    expect(() => readDot("digraph {\n a -> \n}")).toThrow(expect.objectContaining({ line: 3 }) as Error);
  });
});

describe("dependencies of a graph in an estate", () => {
  it("changes nothing where the graph says what the estate says", () => {
    const estate = smallEstate();
    expect(withGraph(estate, readDot(writeDot(graphOf(estate))))).toEqual(estate);
  });
  it("replaces those of its nodes alone", () => {
    const estate = smallEstate();
    const bare = withGraph(estate, { nodes: [{ id: "site", name: null, tier: null }], edges: [] });
    expect(bare.services.map((s) => s.dependsOn)).toEqual([[], []]);
    expect(withGraph(estate, { nodes: [{ id: "data", name: null, tier: null }], edges: [] })).toEqual(estate);
    expect(() => withGraph(estate, readDot("digraph { shop -> data }"))).toThrow("no such service");
  });
});
