import type { ELK, ElkNode } from "elkjs/lib/elk-api";
import type { Schematic } from "../api/client";
import { type Graph, type GraphEdge, type GraphNode, graphOf, LABEL_SIZE } from "./graph";
import { fitView } from "./view";

export interface Placed<T> {
  item: T;
  x: number;
  y: number;
}

interface Point {
  x: number;
  y: number;
}

export interface Route {
  edge: GraphEdge;
  points: Point[];
}

export interface Drawing {
  width: number;
  height: number;
  nodes: Placed<GraphNode>[];
  routes: Route[];
  /** How what stands in one row was placed. */
  placing?: string;
}

export function pathOf(route: Route): string {
  return route.points.map((p, i) => `${i ? "L" : "M"}${p.x} ${p.y}`).join(" ");
}

const OPTIONS: Record<string, string> = {
  "elk.algorithm": "layered",
  "elk.direction": "UP",
  "elk.edgeRouting": "ORTHOGONAL",
  "elk.layered.spacing.nodeNodeBetweenLayers": "9",
  "elk.spacing.nodeNode": "13",
  "elk.spacing.edgeNode": "8",
  "elk.spacing.edgeEdge": "7",
  "elk.layered.spacing.edgeEdgeBetweenLayers": "7",
  "elk.layered.spacing.edgeNodeBetweenLayers": "7",
  "elk.layered.crossingMinimization.strategy": "LAYER_SWEEP",
  "elk.randomSeed": "1",
};

/** From so many on, fewer orders are tried: a large machine is drawn within seconds. */
const MANY_NODES = 100;

/** Ways to place what stands in one row, the straightest lines first, the narrowest drawing last. */
const PLACINGS = ["NETWORK_SIMPLEX", "LINEAR_SEGMENTS", "SIMPLE"];

/** The pane that a drawing opens in, and the lettering below which it cannot be read there. */
export const PANE = { width: 848, height: 690 };
export const READABLE_PX = 11;

/** Height of the lettering when all of a drawing is shown in a pane. */
export function letteringPx(drawing: Pick<Drawing, "width" | "height">, pane = PANE): number {
  const shown = fitView(drawing.width, drawing.height, pane.width, pane.height);
  return (LABEL_SIZE * pane.width) / shown.width;
}

const SIDE = { north: "NORTH", south: "SOUTH", east: "EAST", west: "WEST" } as const;

/** Where each node stood, and where one that is new belongs: among what it is joined to. */
function positions(graph: Graph, before: Drawing): (id: string) => { x: number; y: number } {
  const stood = new Map(before.nodes.map((n) => [n.item.id, n]));
  const beside = new Map<string, { x: number; y: number }[]>();
  const note = (id: string, other: string) => {
    const place = stood.get(other);
    if (place) beside.set(id, [...(beside.get(id) ?? []), place]);
  };
  for (const { source, target } of graph.edges) {
    note(source[0], target[0]);
    note(target[0], source[0]);
  }
  const mean = (values: number[]) => values.reduce((a, b) => a + b, 0) / values.length;
  return (id) => {
    const own = stood.get(id);
    const near = own ? [own] : beside.get(id);
    if (!near) return { x: before.width, y: 0 };
    return { x: mean(near.map((n) => n.x)), y: mean(near.map((n) => n.y)) };
  };
}

function elkGraph(graph: Graph, placing: string, before: Drawing | null): ElkNode {
  const at = before && positions(graph, before);
  return {
    id: "circuit",
    layoutOptions: {
      ...OPTIONS,
      ...(before ? { "elk.layered.crossingMinimization.strategy": "INTERACTIVE" } : {}),
      "elk.layered.nodePlacement.strategy": placing,
      "elk.layered.thoroughness": graph.nodes.length > MANY_NODES ? "10" : "40",
    },
    children: graph.nodes.map((node) => ({
      id: node.id,
      width: node.width,
      height: node.height,
      ...at?.(node.id),
      layoutOptions: { "elk.portConstraints": "FIXED_POS" },
      ports: node.ports.map((port) => ({
        id: port.id,
        x: port.x,
        y: port.y,
        width: 0,
        height: 0,
        layoutOptions: { "elk.port.side": SIDE[port.side] },
      })),
    })),
    edges: graph.edges.map((edge) => ({
      id: edge.id,
      sources: [edge.source[1]],
      targets: [edge.target[1]],
    })),
  };
}

let engine: Promise<ELK> | null = null;

function elk(): Promise<ELK> {
  // The layout library is large and takes a second: it is loaded when the first schematic is drawn,
  // and works beside the page, which answers meanwhile.
  engine ??= inWorker();
  return engine;
}

async function inWorker(): Promise<ELK> {
  const [{ default: Elk }, { default: ElkWorker }] = await Promise.all([
    import("elkjs/lib/elk-api"),
    import("elkjs/lib/elk-worker.min.js?worker"),
  ]);
  return new Elk({ workerFactory: () => new ElkWorker() });
}

interface Layouter {
  layout(graph: ElkNode): Promise<ElkNode>;
}

/** From how many of its parts on a drawing is another one's, grown or cut. */
const SAME_SHARE = 0.5;

/**
 * Place and route a schematic: as straight as it can be read, and else as large as it can be.
 * The same circuit revision gives the same drawing. Where it was drawn `before` with a part more or
 * less, everything keeps its order from left to right.
 */
export async function layOut(
  schematic: Schematic,
  layouter: Layouter | Promise<Layouter> = elk(),
  drawnBefore: Drawing | null = null,
): Promise<Drawing> {
  const graph = graphOf(schematic);
  const engine = await layouter;
  const stood = new Set(drawnBefore?.nodes.map((n) => n.item.id));
  const kept = graph.nodes.filter((n) => stood.has(n.id)).length;
  const before = kept >= SAME_SHARE * graph.nodes.length ? drawnBefore : null;
  let best: Drawing | null = null;
  // What is being typed keeps its way as well.
  for (const placing of before?.placing ? [before.placing] : PLACINGS) {
    // Who stands beside whom is found once: that takes longest.
    const placed = await engine.layout(elkGraph(graph, placing, before ?? best));
    const drawing = { ...drawn(graph, placed), placing };
    if (!best || letteringPx(drawing) > letteringPx(best)) best = drawing;
    if (letteringPx(best) >= READABLE_PX) break;
  }
  if (!best) throw new Error("there is no way to place a drawing");
  return best;
}

function drawn(graph: Graph, placed: ElkNode): Drawing {
  const at = new Map((placed.children ?? []).map((c) => [c.id, c]));
  const routed = new Map((placed.edges ?? []).map((e) => [e.id, e]));
  const ports = new Map(graph.nodes.flatMap((n) => n.ports.map((p) => [p.id, { n, p }] as const)));
  /** An east port stands on the symbol; the line to it runs behind the label. */
  const onSymbol = (portId: string, end: Point): Point[] => {
    const found = ports.get(portId);
    if (found?.n.kind !== "part" || found.p.side !== "east") return [];
    return [{ x: (at.get(found.n.id)?.x ?? 0) + found.n.symbolWidth, y: end.y }];
  };
  return {
    width: placed.width ?? 0,
    height: placed.height ?? 0,
    nodes: graph.nodes.map((item) => ({
      item,
      x: at.get(item.id)?.x ?? 0,
      y: at.get(item.id)?.y ?? 0,
    })),
    routes: graph.edges.map((edge) => ({
      edge,
      points: (routed.get(edge.id)?.sections ?? []).flatMap((s) => [
        ...onSymbol(edge.source[1], s.startPoint),
        s.startPoint,
        ...(s.bendPoints ?? []),
        s.endPoint,
        ...onSymbol(edge.target[1], s.endPoint),
      ]),
    })),
  };
}

const STORE = "umweg-drawing-8";

/** A circuit that is being typed is no revision yet: what it shows may change with every key. */
export const isTyped = (schematic: Schematic) => schematic.revision === 0;

/**
 * The drawing of a circuit revision: kept in the browser, so that the map never jumps. One that is
 * being typed is drawn as it was `before`, with what has changed.
 */
export async function drawingOf(
  schematic: Schematic,
  before: Drawing | null = null,
): Promise<Drawing> {
  if (isTyped(schematic)) return layOut(schematic, elk(), before);
  const key = `${STORE}:${schematic.circuit_id}:${schematic.revision}:${schematic.parts.length}`;
  const kept = localStorage.getItem(key);
  if (kept) {
    try {
      return JSON.parse(kept) as Drawing;
    } catch {
      localStorage.removeItem(key);
    }
  }
  const drawing = await layOut(schematic);
  try {
    localStorage.setItem(key, JSON.stringify(drawing));
  } catch {
    // A full store costs only the time to compute the drawing again.
  }
  return drawing;
}
