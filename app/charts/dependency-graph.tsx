import { select, zoom, zoomIdentity, type ZoomBehavior, type ZoomTransform } from "d3";
import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Box, LayoutRequest } from "#core/graph/layout.ts";
import { Button } from "../ui/button.tsx";
import { type Acts, GraphDrawing, type GraphEdge, type GraphNode, NODE_HEIGHT } from "./graph-drawing.tsx";
import { useGraphLayout } from "./use-graph-layout.ts";

export type GraphLoop = { services: string[]; broken: "soft" | "order" | null };

const CHARACTER = 7.1;
/** Below this scale names would be smaller than can be read. */
const LEGIBLE = 0.5;

const widthOf = (n: GraphNode): number => Math.min(340, 34 + n.name.length * CHARACTER + n.aside.length * 6.2);

type Props = {
  nodes: readonly GraphNode[];
  edges: readonly GraphEdge[];
  loops: readonly GraphLoop[];
  chosen: string | null;
  mayAct: boolean;
  onChoose: (id: string | null) => void;
  /** A dependency is to be added; `to` is open where it was asked for by keyboard. */
  onConnect: (from: string, to: string | null) => void;
  onEdge: (edge: GraphEdge) => void;
};

/**
 * Services from left to right, what needs before what is needed. Arrow keys go along dependencies
 * (right to what is needed, left to what needs it) and up and down; Enter chooses, `n` adds.
 */
export function DependencyGraph({ nodes, edges, loops, chosen, mayAct, onChoose, onConnect, onEdge }: Props) {
  const key = useMemo(() => JSON.stringify([nodes.map((n) => [n.id, n.name, n.aside]), edges, loops]), [nodes, edges, loops]);
  const request = useMemo((): LayoutRequest => {
    const loopOf = new Map(loops.flatMap((l) => l.services.map((id) => [id, `${l.broken ?? "open"}/${l.services[0]}`] as const)));
    return {
      nodes: nodes.map((n) => ({ id: n.id, width: widthOf(n), height: NODE_HEIGHT, ...(loopOf.has(n.id) ? { group: loopOf.get(n.id)! } : {}) })),
      edges: edges.map((e) => ({ id: `${e.from} ${e.to}`, from: e.from, to: e.to })),
    };
  }, [key]);
  const { layout, busy, failed } = useGraphLayout(request, key);
  const svg = useRef<SVGSVGElement>(null);
  const layer = useRef<SVGGElement>(null);
  const line = useRef<SVGLineElement>(null);
  const transform = useRef<ZoomTransform>(zoomIdentity);
  const zooming = useRef<ZoomBehavior<SVGSVGElement, unknown>>(undefined);
  const drag = useRef<string | null>(null);
  const [legible, setLegible] = useState(true);
  const [current, setCurrent] = useState<string | null>(null);
  const boxes = useMemo(() => new Map((layout?.nodes ?? []).map((b) => [b.id, b])), [layout]);

  useEffect(() => {
    const area = svg.current;
    if (!area) return;
    const behaviour = zoom<SVGSVGElement, unknown>()
      .scaleExtent([0.04, 3])
      // A drag that begins on a ring draws a dependency.
      .filter((event: Event) => !(event.target as Element).closest("[data-handle]") && !(event as MouseEvent).ctrlKey)
      .on("zoom", (event: { transform: ZoomTransform }) => {
        // Past React: a thousand boxes are not drawn anew for every turn of a wheel.
        transform.current = event.transform;
        layer.current?.setAttribute("transform", event.transform.toString());
        setLegible(event.transform.k >= LEGIBLE);
      });
    zooming.current = behaviour;
    select(area).call(behaviour).on("dblclick.zoom", null);
    return () => void select(area).on(".zoom", null);
  }, []);

  const moveTo = (t: ZoomTransform): void => void (svg.current && zooming.current && select(svg.current).call(zooming.current.transform, t));
  const fit = (): void => {
    if (!svg.current || !layout) return;
    const { width, height } = svg.current.getBoundingClientRect();
    const k = Math.min(1.1, (width - 32) / Math.max(1, layout.width), (height - 32) / Math.max(1, layout.height));
    moveTo(zoomIdentity.translate((width - layout.width * k) / 2, (height - layout.height * k) / 2).scale(k));
  };
  useEffect(fit, [layout]);
  const scaleBy = (factor: number): void => void (svg.current && zooming.current && select(svg.current).call(zooming.current.scaleBy, factor));

  /** Brings a box into sight where it is out of it, or too small to read. */
  const show = (id: string): void => {
    const box = boxes.get(id);
    if (!box || !svg.current) return;
    const { width, height } = svg.current.getBoundingClientRect();
    const t = transform.current;
    const [left, top] = t.apply([box.x, box.y]);
    const inSight = left > 0 && top > 0 && left + box.width * t.k < width && top + NODE_HEIGHT * t.k < height;
    if (inSight && t.k >= LEGIBLE) return;
    const k = Math.max(t.k, LEGIBLE + 0.2);
    moveTo(zoomIdentity.translate(width / 2 - (box.x + box.width / 2) * k, height / 2 - (box.y + NODE_HEIGHT / 2) * k).scale(k));
  };
  useEffect(() => {
    if (chosen) show(chosen);
  }, [chosen, layout]);

  const focusOn = (id: string | undefined): void => {
    if (id === undefined) return;
    setCurrent(id);
    show(id);
    svg.current?.querySelector<SVGGElement>(`[data-node="${CSS.escape(id)}"]`)?.focus();
  };
  const onKey = (event: KeyboardEvent, id: string): void => {
    const keys: Record<string, () => void> = {
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
    const act = keys[event.key];
    if (!act || event.metaKey || event.ctrlKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };
  const place = (event: PointerEvent): [number, number] => {
    const { left, top } = svg.current!.getBoundingClientRect();
    return transform.current.invert([event.clientX - left, event.clientY - top]);
  };
  const drawTo = (event: PointerEvent): void => {
    const from = drag.current === null ? undefined : boxes.get(drag.current);
    line.current?.setAttribute("visibility", from ? "visible" : "hidden");
    if (!from) return;
    const [x, y] = place(event);
    for (const [name, value] of Object.entries({ x1: from.x + from.width, y1: from.y + NODE_HEIGHT / 2, x2: x, y2: y })) line.current?.setAttribute(name, String(value));
  };
  const drop = (event: PointerEvent): void => {
    const from = drag.current;
    drag.current = null;
    line.current?.setAttribute("visibility", "hidden");
    if (from === null) return;
    const [x, y] = place(event);
    const to = [...boxes.values()].find((b) => x >= b.x && x <= b.x + b.width && y >= b.y && y <= b.y + b.height);
    if (to && to.id !== from) onConnect(from, to.id);
  };
  // Always the newest, under a name that never changes: the drawing is not made anew for them.
  const acts = useRef<Acts>(null!);
  acts.current = { choose: onChoose, edge: onEdge, key: onKey, focus: setCurrent, grab: (id) => (drag.current = id) };

  return (
    <div className="relative min-h-72 flex-1">
      <svg
        ref={svg}
        className="absolute inset-0 h-full w-full touch-none border border-line"
        role="group"
        aria-label={`Dependencies between ${nodes.length} services`}
        aria-busy={busy}
        onPointerMove={drawTo}
        onPointerUp={drop}
      >
        <defs>
          <marker id="needs" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">
            <path d="M0 0.5L7.5 4L0 7.5" fill="none" stroke="context-stroke" strokeWidth="1.4" />
          </marker>
        </defs>
        <g ref={layer}>
          {layout && (
            <GraphDrawing
              layout={layout}
              nodes={nodes}
              edges={edges}
              chosen={chosen}
              legible={legible}
              mayAct={mayAct}
              tabStop={current ?? chosen ?? nodes[0]?.id ?? null}
              acts={acts}
            />
          )}
          <line ref={line} visibility="hidden" stroke="var(--accent)" strokeWidth="1.8" strokeDasharray="3 3" className="pointer-events-none" />
        </g>
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

/** Of some boxes the one whose height is nearest. */
function nearest(boxes: ReadonlyMap<string, Box>, from: string, ids: readonly string[]): string | undefined {
  const away = (id: string): number => Math.abs(boxes.get(id)!.y - (boxes.get(from)?.y ?? 0));
  return ids.filter((id) => boxes.has(id)).sort((a, b) => away(a) - away(b))[0];
}

/** The next box above or below that overlaps sideways; else the next by height at all. */
function nextInColumn(boxes: ReadonlyMap<string, Box>, from: string, way: 1 | -1): string | undefined {
  const here = boxes.get(from);
  if (!here) return undefined;
  const beyond = [...boxes.values()].filter((b) => (b.y - here.y) * way > 0);
  const beside = beyond.filter((b) => b.x < here.x + here.width && here.x < b.x + b.width);
  return (beside.length > 0 ? beside : beyond).sort((a, b) => (a.y - b.y) * way)[0]?.id;
}
