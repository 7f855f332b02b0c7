import { curveBumpX, line, select, zoom, zoomIdentity, type ZoomBehavior } from "d3";
import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Box, LayoutRequest } from "#core/graph/layout.ts";
import type { Strength } from "#core/estate/model.ts";
import { Button } from "../ui/button.tsx";
import { useGraphLayout } from "./use-graph-layout.ts";

export type GraphNode = { id: string; name: string; tier: number; state: "up" | "down" | "impaired"; aside: string };
export type GraphEdge = { from: string; to: string; strength: Strength };
export type GraphLoop = { services: string[]; broken: "soft" | "order" | null };

const HEIGHT = 28;
const CHARACTER = 7.1;
/** Below this scale names would be smaller than can be read. */
const LEGIBLE = 0.5;
const LOOP_WORDS = { soft: "loop, broken by a soft dependency", order: "loop, broken by the stated order" };

const widthOf = (n: GraphNode): number => Math.min(340, 34 + n.name.length * CHARACTER + n.aside.length * 6.2);
const bend = line<[number, number]>().curve(curveBumpX);

/**
 * Services from left to right, what needs before what is needed. Arrow keys go along dependencies
 * (right to what is needed, left to what needs it) and up and down; Enter chooses, `n` adds.
 */
export function DependencyGraph({
  nodes,
  edges,
  loops,
  chosen,
  mayAct,
  onChoose,
  onConnect,
  onEdge,
}: {
  nodes: readonly GraphNode[];
  edges: readonly GraphEdge[];
  loops: readonly GraphLoop[];
  chosen: string | null;
  mayAct: boolean;
  onChoose: (id: string | null) => void;
  /** A dependency is to be added; `to` is open where it was asked for by keyboard. */
  onConnect: (from: string, to: string | null) => void;
  onEdge: (edge: GraphEdge) => void;
}) {
  const key = useMemo(() => JSON.stringify([nodes.map((n) => [n.id, n.name, n.aside]), edges, loops]), [nodes, edges, loops]);
  const request = useMemo((): LayoutRequest => {
    const loopOf = new Map(loops.flatMap((l, i) => l.services.map((id) => [id, `loop ${i}`] as const)));
    return {
      nodes: nodes.map((n) => ({ id: n.id, width: widthOf(n), height: HEIGHT, ...(loopOf.has(n.id) ? { group: loopOf.get(n.id)! } : {}) })),
      edges: edges.map((e) => ({ id: `${e.from} ${e.to}`, from: e.from, to: e.to })),
    };
  }, [key]);
  const { layout, busy, failed } = useGraphLayout(request, key);
  const svg = useRef<SVGSVGElement>(null);
  const [transform, setTransform] = useState(zoomIdentity);
  const zooming = useRef<ZoomBehavior<SVGSVGElement, unknown>>(undefined);
  const [drag, setDrag] = useState<{ from: string; x: number; y: number } | null>(null);
  const [current, setCurrent] = useState<string | null>(null);
  const boxes = useMemo(() => new Map((layout?.nodes ?? []).map((b) => [b.id, b])), [layout]);

  useEffect(() => {
    const area = svg.current;
    if (!area) return;
    const behaviour = zoom<SVGSVGElement, unknown>()
      .scaleExtent([0.04, 3])
      // A drag that begins on a handle draws a dependency.
      .filter((event: Event) => !(event.target as Element).closest("[data-handle]") && !(event as MouseEvent).ctrlKey)
      .on("zoom", (event: { transform: typeof zoomIdentity }) => setTransform(event.transform));
    zooming.current = behaviour;
    select(area).call(behaviour).on("dblclick.zoom", null);
    return () => void select(area).on(".zoom", null);
  }, []);

  const fit = (): void => {
    const area = svg.current;
    if (!area || !layout || !zooming.current) return;
    const { width, height } = area.getBoundingClientRect();
    const k = Math.min(1.1, (width - 32) / Math.max(1, layout.width), (height - 32) / Math.max(1, layout.height));
    select(area).call(zooming.current.transform, zoomIdentity.translate((width - layout.width * k) / 2, (height - layout.height * k) / 2).scale(k));
  };
  useEffect(fit, [layout]);
  const scaleBy = (factor: number): void => void (svg.current && zooming.current && select(svg.current).call(zooming.current.scaleBy, factor));

  /** Brings a box into sight where it is out of it, or too small to read. */
  const show = (id: string): void => {
    const box = boxes.get(id);
    const area = svg.current;
    if (!box || !area || !zooming.current) return;
    const { width, height } = area.getBoundingClientRect();
    const [left, top] = transform.apply([box.x, box.y]);
    const inSight = left > 0 && top > 0 && left + box.width * transform.k < width && top + HEIGHT * transform.k < height;
    if (inSight && transform.k >= LEGIBLE) return;
    const k = Math.max(transform.k, LEGIBLE + 0.2);
    select(area).call(zooming.current.transform, zoomIdentity.translate(width / 2 - (box.x + box.width / 2) * k, height / 2 - (box.y + HEIGHT / 2) * k).scale(k));
  };
  useEffect(() => {
    if (chosen) show(chosen);
  }, [chosen, layout]);

  const focusOn = (id: string | undefined): void => {
    if (id === undefined) return;
    setCurrent(id);
    show(id);
    // It may only now have been drawn.
    requestAnimationFrame(() => svg.current?.querySelector<SVGGElement>(`[data-node="${CSS.escape(id)}"]`)?.focus());
  };
  const onKey = (event: KeyboardEvent, id: string): void => {
    const acts: Record<string, () => void> = {
      ArrowRight: () =>
        focusOn(
          nearest(
            boxes,
            id,
            edges.filter((e) => e.from === id).map((e) => e.to),
          ),
        ),
      ArrowLeft: () =>
        focusOn(
          nearest(
            boxes,
            id,
            edges.filter((e) => e.to === id).map((e) => e.from),
          ),
        ),
      ArrowDown: () => focusOn(nextInColumn(boxes, id, 1)),
      ArrowUp: () => focusOn(nextInColumn(boxes, id, -1)),
      Enter: () => onChoose(id),
      " ": () => onChoose(id),
      Escape: () => onChoose(null),
      ...(mayAct ? { n: () => onConnect(id, null) } : {}),
    };
    const act = acts[event.key];
    if (!act || event.metaKey || event.ctrlKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };
  const place = (event: PointerEvent): [number, number] => {
    const { left, top } = svg.current!.getBoundingClientRect();
    return transform.invert([event.clientX - left, event.clientY - top]);
  };
  const drop = (event: PointerEvent): void => {
    if (!drag) return;
    const [x, y] = place(event);
    const to = [...boxes.values()].find((b) => x >= b.x && x <= b.x + b.width && y >= b.y && y <= b.y + b.height);
    if (to && to.id !== drag.from) onConnect(drag.from, to.id);
    setDrag(null);
  };
  const legible = transform.k >= LEGIBLE;
  const named = new Map(nodes.map((n) => [n.id, n]));
  const stop = current ?? chosen ?? nodes[0]?.id;
  const near = new Set(chosen ? [chosen, ...edges.filter((e) => e.from === chosen || e.to === chosen).flatMap((e) => [e.from, e.to])] : []);

  return (
    <div className="relative min-h-72 flex-1">
      <svg
        ref={svg}
        className="absolute inset-0 h-full w-full touch-none border border-line"
        role="group"
        aria-label={`Dependencies between ${nodes.length} services`}
        aria-busy={busy}
        onPointerMove={(e) => drag && setDrag({ from: drag.from, x: place(e)[0], y: place(e)[1] })}
        onPointerUp={drop}
      >
        <defs>
          <marker id="needs" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">
            <path d="M0 0.5L7.5 4L0 7.5" fill="none" stroke="context-stroke" strokeWidth="1.4" />
          </marker>
        </defs>
        {layout && (
          <g transform={transform.toString()}>
            {layout.groups.map((g) => {
              const loop = loops[Number(g.id.slice(5))]!;
              const tone = loop.broken ? "var(--tight)" : "var(--late)";
              return (
                <g key={g.id}>
                  <rect x={g.x} y={g.y} width={g.width} height={g.height} rx="3" fill="none" stroke={tone} strokeDasharray="5 3" />
                  <text x={g.x + 6} y={g.y + 12} fontSize="10" fill={tone}>
                    {loop.broken ? LOOP_WORDS[loop.broken] : "loop that nothing breaks"}
                  </text>
                </g>
              );
            })}
            {layout.edges.map(({ id, points }) => {
              const [from, to] = id.split(" ");
              const edge = edges.find((e) => e.from === from && e.to === to);
              if (!edge || points.length < 2) return null;
              const touched = chosen !== null && (edge.from === chosen || edge.to === chosen);
              return (
                <g key={id} className={mayAct ? "cursor-pointer" : ""} onClick={() => mayAct && onEdge(edge)}>
                  {/* A line that can be hit. */}
                  <path d={bend(points) ?? ""} fill="none" stroke="transparent" strokeWidth="10" />
                  <path
                    d={bend(points) ?? ""}
                    fill="none"
                    stroke={touched ? "var(--ink)" : "var(--bar)"}
                    strokeOpacity={touched ? 1 : chosen ? 0.28 : 0.6}
                    strokeWidth={touched ? 1.8 : 1.2}
                    strokeDasharray={edge.strength === "soft" ? "4 4" : undefined}
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
                    faint={chosen !== null && !near.has(box.id)}
                    chosen={box.id === chosen}
                    tabStop={box.id === stop}
                    mayAct={mayAct}
                    onChoose={() => onChoose(box.id)}
                    onFocus={() => setCurrent(box.id)}
                    onKey={(e) => onKey(e, box.id)}
                    onHandle={(e) => setDrag({ from: box.id, x: place(e)[0], y: place(e)[1] })}
                  />
                )
              );
            })}
            {drag && boxes.get(drag.from) && (
              <line
                x1={boxes.get(drag.from)!.x + boxes.get(drag.from)!.width}
                y1={boxes.get(drag.from)!.y + HEIGHT / 2}
                x2={drag.x}
                y2={drag.y}
                stroke="var(--accent)"
                strokeWidth="1.8"
                strokeDasharray="3 3"
                className="pointer-events-none"
              />
            )}
          </g>
        )}
      </svg>
      <p role="status" className="pointer-events-none absolute bottom-2 left-3 text-xs text-soft">
        {failed ? "The graph could not be laid out; the table below holds the same." : busy ? "Laying out …" : legible ? "" : "Names appear closer up."}
      </p>
      <div className="absolute right-2 bottom-2 flex gap-1">
        <Button onClick={() => scaleBy(1.5)} aria-label="Closer">
          +
        </Button>
        <Button onClick={() => scaleBy(1 / 1.5)} aria-label="Further away">
          −
        </Button>
        <Button onClick={fit}>Whole</Button>
      </div>
    </div>
  );
}

function NodeMark({
  node,
  box,
  legible,
  faint,
  chosen,
  tabStop,
  mayAct,
  onChoose,
  onFocus,
  onKey,
  onHandle,
}: {
  node: GraphNode;
  box: Box;
  legible: boolean;
  faint: boolean;
  chosen: boolean;
  tabStop: boolean;
  mayAct: boolean;
  onChoose: () => void;
  onFocus: () => void;
  onKey: (event: KeyboardEvent) => void;
  onHandle: (event: PointerEvent) => void;
}) {
  const tone = node.state === "down" ? "var(--late)" : "var(--line-strong)";
  return (
    <g
      data-node={node.id}
      transform={`translate(${box.x} ${box.y})`}
      opacity={faint ? 0.45 : 1}
      role="button"
      tabIndex={tabStop ? 0 : -1}
      aria-label={`${node.name} ${node.aside}, tier ${node.tier}${node.state === "up" ? "" : `, ${node.state} in this loss`}`}
      aria-pressed={chosen}
      className="cursor-pointer"
      onClick={onChoose}
      onFocus={onFocus}
      onKeyDown={onKey}
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
              onPointerDown={onHandle}
              onClick={(e) => e.stopPropagation()}
            />
          )}
        </>
      )}
    </g>
  );
}

/** Of some boxes the one whose height is nearest. */
function nearest(boxes: ReadonlyMap<string, Box>, from: string, ids: readonly string[]): string | undefined {
  const here = boxes.get(from);
  return [...ids].filter((id) => boxes.has(id)).sort((a, b) => Math.abs(boxes.get(a)!.y - (here?.y ?? 0)) - Math.abs(boxes.get(b)!.y - (here?.y ?? 0)))[0];
}

/** The next box above or below that overlaps sideways; else the next by height at all. */
function nextInColumn(boxes: ReadonlyMap<string, Box>, from: string, way: 1 | -1): string | undefined {
  const here = boxes.get(from);
  if (!here) return undefined;
  const beyond = [...boxes.values()].filter((b) => (b.y - here.y) * way > 0);
  const beside = beyond.filter((b) => b.x < here.x + here.width && here.x < b.x + b.width);
  return (beside.length > 0 ? beside : beyond).sort((a, b) => (a.y - b.y) * way)[0]?.id;
}
