import parse, { type AttrStmt, type EdgeStmt, type NodeStmt, type Stmt } from "dotparser";
import { type DependencyGraph, GraphFileError, MOST_GRAPH_BYTES } from "./dependency-graph.ts";

/** A directed graph in the DOT language; soft dependencies are dashed. */
export function writeDot({ nodes, edges }: DependencyGraph): string {
  return [
    "digraph dependencies {",
    "  rankdir=LR;",
    ...nodes.map((n) => `  ${quoted(n.id)} [${[n.name === null ? [] : `label=${quoted(n.name)}`, n.tier === null ? [] : `tier=${n.tier}`].flat().join(", ")}];`),
    ...edges.map((e) => `  ${quoted(e.from)} -> ${quoted(e.to)} [strength=${e.strength}${e.strength === "soft" ? ", style=dashed" : ""}];`),
    "}",
    "",
  ].join("\n");
}

const quoted = (text: string): string => `"${text.replaceAll("\\", "\\\\").replaceAll('"', '\\"')}"`;
const unescaped = (text: string): string => text.replace(/\\(["\\])/g, "$1");

/**
 * Reads one directed graph in DOT. A dependency is soft where it says `strength=soft` or is dashed,
 * by itself or by `edge` before it. Throws `GraphFileError`.
 */
export function readDot(text: string): DependencyGraph {
  if (text.length > MOST_GRAPH_BYTES) throw new GraphFileError(1, "the file is larger than 16 MiB");
  const graphs = parsed(text);
  const [graph] = graphs;
  if (!graph || graphs.length > 1) throw new GraphFileError(1, "the file holds several graphs; one alone can be taken");
  if (graph.type !== "digraph") throw new GraphFileError(1, "the graph is undirected: it does not say which service needs which; write digraph and ->");
  const nodes = new Map<string, DependencyGraph["nodes"][number]>();
  const edges: DependencyGraph["edges"] = [];
  const node = (id: string): DependencyGraph["nodes"][number] => {
    const had = nodes.get(id) ?? { id, name: null, tier: null };
    nodes.set(id, had);
    return had;
  };
  walk(graph.children, new Map());
  return { nodes: [...nodes.values()], edges };

  function walk(statements: readonly Stmt[], outer: ReadonlyMap<string, string>): void {
    const usual = new Map(outer);
    for (const statement of statements) {
      if (statement.type === "attr_stmt" && statement.target === "edge") for (const [key, value] of attributes(statement)) usual.set(key, value);
      else if (statement.type === "subgraph") walk(statement.children, usual);
      else if (statement.type === "node_stmt") {
        const given = attributes(statement);
        const one = node(unescaped(String(statement.node_id.id)));
        one.name = given.get("label") ?? one.name;
        if (given.has("tier")) one.tier = Number(given.get("tier"));
      } else if (statement.type === "edge_stmt") edgesOf(statement, new Map([...usual, ...attributes(statement)]), usual);
    }
  }

  function edgesOf(statement: EdgeStmt, given: ReadonlyMap<string, string>, usual: ReadonlyMap<string, string>): void {
    const ends = statement.edge_list.map((end) => {
      if (end.type === "node_id") return [node(unescaped(String(end.id))).id];
      walk(end.children, usual);
      return idsIn(end.children);
    });
    const soft = given.get("strength") === "soft" || (!given.has("strength") && given.get("style") === "dashed");
    for (let i = 1; i < ends.length; i++) for (const from of ends[i - 1]!) for (const to of ends[i]!) edges.push({ from, to, strength: soft ? "soft" : "hard" });
  }
}

const attributes = (statement: NodeStmt | EdgeStmt | AttrStmt): Map<string, string> => new Map(statement.attr_list.flatMap((a) => (typeof a.eq === "object" ? [] : [[String(a.id), unescaped(String(a.eq))] as const])));

/** Ids of the nodes that statements name, of those within subgraphs too. */
const idsIn = (statements: readonly Stmt[]): string[] => [
  ...new Set(
    statements.flatMap((s) =>
      s.type === "node_stmt" ? [unescaped(String(s.node_id.id))] : s.type === "edge_stmt" ? s.edge_list.flatMap((e) => (e.type === "node_id" ? [unescaped(String(e.id))] : idsIn(e.children))) : s.type === "subgraph" ? idsIn(s.children) : [],
    ),
  ),
];

function parsed(text: string): ReturnType<typeof parse> {
  try {
    return parse(text);
  } catch (error) {
    const at = (error as { location?: { start: { line: number } } }).location?.start.line ?? 1;
    throw new GraphFileError(at, "this is no graph in DOT from here on");
  }
}
