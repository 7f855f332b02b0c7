import { curveBumpX, line } from "d3";
import { type KeyboardEvent, memo, type RefObject } from "react";
import type { Box, Layout } from "#core/graph/layout.ts";
import type { Strength } from "#core/estate/model.ts";

export type GraphNode = { id: string; name: string; tier: number; state: "up" | "down" | "impaired"; aside: string };
/** `direct` is false where it leads through services that are not drawn. */
export type GraphEdge = { from: string; to: string; strength: Strength; direct: boolean };
export type Acts = {
  choose: (id: string | null) => void;
  edge: (edge: GraphEdge) => void;
  key: (event: KeyboardEvent, id: string) => void;
  focus: (id: string) => void;
  grab: (id: string) => void;
};

export const NODE_HEIGHT = 28;
const LOOP_WORDS: Record<string, string> = { soft: "loop, broken by a soft dependency", order: "loop, broken by the stated order", open: "loop that nothing breaks" };
const bend = line<[number, number]>().curve(curveBumpX);

type Drawing = {
  layout: Layout;
  nodes: readonly GraphNode[];
  edges: readonly GraphEdge[];
  chosen: string | null;
  legible: boolean;
  mayAct: boolean;
  tabStop: string | null;
  acts: RefObject<Acts>;
};

/** Loops, dependencies and services where the layout has put them. */
export const GraphDrawing = memo(function GraphDrawing({ layout, nodes, edges, chosen, legible, mayAct, tabStop, acts }: Drawing) {
  const named = new Map(nodes.map((n) => [n.id, n]));
  const byEnds = new Map(edges.map((e) => [`${e.from} ${e.to}`, e]));
  const near = new Set(chosen ? [chosen, ...edges.filter((e) => e.from === chosen || e.to === chosen).flatMap((e) => [e.from, e.to])] : []);
  const isAside = chosen !== null && named.has(chosen);
  return (
    <>
      {layout.groups.map((g) => {
        const broken = g.id.split("/")[0]!;
        const tone = broken === "open" ? "var(--late)" : "var(--tight)";
        return (
          <g key={g.id}>
            <rect x={g.x} y={g.y} width={g.width} height={g.height} rx="3" fill="none" stroke={tone} strokeDasharray="5 3" />
            <text x={g.x + 6} y={g.y + 12} fontSize="10" fill={tone}>
              {LOOP_WORDS[broken]}
            </text>
          </g>
        );
      })}
      {layout.edges.map(({ id, points }) => {
        const edge = byEnds.get(id);
        if (!edge || points.length < 2) return null;
        const touched = edge.from === chosen || edge.to === chosen;
        const canChange = mayAct && edge.direct;
        const path = bend(points) ?? "";
        return (
          <g key={id} className={canChange ? "cursor-pointer" : ""} onClick={() => canChange && acts.current.edge(edge)}>
            {/* A line that can be hit. */}
            <path d={path} fill="none" stroke="transparent" strokeWidth="10" />
            <path
              d={path}
              fill="none"
              stroke={touched ? "var(--ink)" : "var(--bar)"}
              strokeOpacity={touched ? 1 : isAside ? 0.28 : 0.6}
              strokeWidth={touched ? 1.8 : 1.2}
              strokeDasharray={!edge.direct ? "1 4" : edge.strength === "soft" ? "4 4" : undefined}
              markerEnd="url(#needs)"
            />
          </g>
        );
      })}
      {layout.nodes.map((box) => {
        const node = named.get(box.id);
        return (
          node && (
            <NodeMark
              key={box.id}
              node={node}
              box={box}
              legible={legible}
              faint={isAside && !near.has(box.id)}
              chosen={box.id === chosen}
              isTabStop={box.id === tabStop}
              mayAct={mayAct}
              acts={acts}
            />
          )
        );
      })}
    </>
  );
});

type NodeProps = { node: GraphNode; box: Box; legible: boolean; faint: boolean; chosen: boolean; isTabStop: boolean; mayAct: boolean; acts: RefObject<Acts> };

const NodeMark = memo(function NodeMark({ node, box, legible, faint, chosen, isTabStop, mayAct, acts }: NodeProps) {
  const tone = node.state === "down" ? "var(--late)" : "var(--line-strong)";
  return (
    <g
      data-node={node.id}
      transform={`translate(${box.x} ${box.y})`}
      opacity={faint ? 0.45 : 1}
      role="button"
      tabIndex={isTabStop ? 0 : -1}
      aria-label={`${node.name} ${node.aside}, tier ${node.tier}${node.state === "up" ? "" : `, ${node.state} in this loss`}`}
      aria-pressed={chosen}
      className="cursor-pointer"
      onClick={() => acts.current.choose(node.id)}
      onFocus={() => acts.current.focus(node.id)}
      onKeyDown={(e) => acts.current.key(e, node.id)}
    >
      <rect
        width={box.width}
        height={box.height}
        rx="2"
        fill={chosen ? "var(--chosen)" : "var(--raised)"}
        stroke={chosen ? "var(--ink)" : tone}
        strokeWidth={chosen ? 1.8 : 1.1}
        strokeDasharray={node.state === "impaired" ? "4 3" : undefined}
      />
      {/* As many strokes as its tier. */}
      {Array.from({ length: node.tier }, (_, i) => (
        <line key={i} x1={7 + i * 3.5} x2={7 + i * 3.5} y1="8" y2={box.height - 8} stroke={node.state === "down" ? "var(--late)" : "var(--bar)"} strokeWidth="1.6" />
      ))}
      {legible && (
        <>
          <text x="24" y={box.height / 2 + 4.5} fontSize="13" fill="var(--ink)">
            {node.name}{" "}
            <tspan x={box.width - 8} fontSize="10.5" textAnchor="end" className="figures" fill="var(--soft)">
              {node.aside}
            </tspan>
          </text>
          {mayAct && (
            <circle
              data-handle
              cx={box.width}
              cy={box.height / 2}
              r="4.5"
              fill="var(--ground)"
              stroke="var(--accent)"
              strokeWidth="1.4"
              className="cursor-crosshair"
              onPointerDown={() => acts.current.grab(node.id)}
              onClick={(e) => e.stopPropagation()}
            />
          )}
        </>
      )}
    </g>
  );
});
