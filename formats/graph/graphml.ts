import { SaxesParser, type SaxesTagNS } from "saxes";
import { type DependencyGraph, GraphFileError, MOST_GRAPH_BYTES } from "./dependency-graph.ts";

const NAMESPACE = "http://graphml.graphdrawing.org/xmlns";
const MOST_DEPTH = 64;

/** GraphML 1.0 (graphdrawing.org): a directed graph, an edge from what needs to what is needed. */
export function writeGraphml({ nodes, edges }: DependencyGraph): string {
  const data = (key: string, value: string | number | null): string => (value === null ? "" : `<data key="${key}">${escaped(String(value))}</data>`);
  return [
    `<?xml version="1.0" encoding="UTF-8"?>`,
    `<graphml xmlns="${NAMESPACE}">`,
    `  <key id="name" for="node" attr.name="name" attr.type="string"/>`,
    `  <key id="tier" for="node" attr.name="tier" attr.type="int"/>`,
    `  <key id="strength" for="edge" attr.name="strength" attr.type="string"><default>hard</default></key>`,
    `  <graph id="dependencies" edgedefault="directed">`,
    ...nodes.map((n) => `    <node id="${escaped(n.id)}">${data("name", n.name)}${data("tier", n.tier)}</node>`),
    ...edges.map((e) => `    <edge source="${escaped(e.from)}" target="${escaped(e.to)}">${data("strength", e.strength)}</edge>`),
    `  </graph>`,
    `</graphml>`,
    "",
  ].join("\n");
}

const escaped = (text: string): string => text.replace(/[<>&"]/g, (c) => `&#${c.charCodeAt(0)};`);

/**
 * Reads a directed GraphML graph; attributes are found by their names. Document types are refused,
 * so nothing outside the file is read and nothing expands. Throws `GraphFileError`.
 */
export function readGraphml(text: string): DependencyGraph {
  if (text.length > MOST_GRAPH_BYTES) throw new GraphFileError(1, "the file is larger than 16 MiB");
  const graph: DependencyGraph = { nodes: [], edges: [] };
  const parser = new SaxesParser({ xmlns: true });
  const fail = (message: string): never => {
    throw new GraphFileError(parser.line, message);
  };
  const names = new Map<string, string>();
  const seen = new Set<string>();
  const stack: string[] = [];
  let held: { set: (key: string, value: string) => void } | null = null;
  let data: { key: string; text: string } | null = null;
  let usual = "hard";
  let graphs = 0;
  const strength = (value: string): "hard" | "soft" => (value === "hard" || value === "soft" ? value : fail(`“${value.slice(0, 40)}” is no strength; write hard or soft`));

  parser.on("error", (error) => fail(error.message.replace(/^\d+:\d+: /, "")));
  parser.on("doctype", () => fail("the file has a document type of its own; take it out"));
  parser.on("opentag", (tag: SaxesTagNS) => {
    if (stack.push(tag.local) > MOST_DEPTH) fail("elements are nested too deep");
    if (stack.length === 1 && (tag.local !== "graphml" || tag.uri !== NAMESPACE)) fail(`this is no GraphML file: its outermost element is ${tag.name}`);
    if (tag.uri !== NAMESPACE) return;
    const of = (name: string): string => tag.attributes[name]?.value ?? fail(`${tag.local} lacks its ${name}`);
    switch (tag.local) {
      case "key":
        names.set(of("id"), tag.attributes["attr.name"]?.value ?? of("id"));
        break;
      case "graph":
        if (++graphs > 1) fail("the file holds several graphs, or one within another; one alone can be taken");
        if (of("edgedefault") !== "directed") fail("the graph is undirected: it does not say which service needs which");
        break;
      case "node": {
        const node: DependencyGraph["nodes"][number] = { id: of("id"), name: null, tier: null };
        if (seen.has(node.id)) fail(`the node ${node.id} is there twice`);
        seen.add(node.id);
        graph.nodes.push(node);
        held = { set: (key, value) => void (key === "name" ? (node.name = value) : key === "tier" && (node.tier = Number(value))) };
        break;
      }
      case "edge": {
        if (tag.attributes["directed"]?.value === "false") fail("an edge is undirected: it does not say which service needs which");
        const edge: DependencyGraph["edges"][number] = { from: of("source"), to: of("target"), strength: strength(usual) };
        graph.edges.push(edge);
        held = { set: (key, value) => void (key === "strength" && (edge.strength = strength(value))) };
        break;
      }
      case "data":
        data = { key: of("key"), text: "" };
        break;
      case "default":
        data = { key: "", text: "" };
        break;
    }
  });
  parser.on("text", (chunk) => void (data && (data.text += chunk)));
  parser.on("cdata", (chunk) => void (data && (data.text += chunk)));
  parser.on("closetag", (tag: SaxesTagNS) => {
    stack.pop();
    if (tag.local === "data" && data) held?.set(names.get(data.key) ?? data.key, data.text.trim());
    if (tag.local === "default" && data && stack.at(-1) === "key") usual = data.text.trim() || usual;
    if (tag.local === "data" || tag.local === "default") data = null;
    if (tag.local === "node" || tag.local === "edge") held = null;
  });
  parser.write(text).close();
  if (graphs === 0) fail("the file holds no graph");
  for (const e of graph.edges) for (const id of [e.from, e.to]) if (!seen.has(id)) throw new GraphFileError(1, `an edge names ${id}, which is no node of the graph`);
  return graph;
}
