import type { Schemas, Schematic } from "../api/client";

/** Pixels per unit of a symbol's box. */
export const UNIT = 17;

export type Part = Schemas["PartView"];
export type Port = Schemas["PortView"];
type Side = Port["side"];

/** A port as it is drawn: a part on the return way is turned over, so that oil runs down in it. */
export interface PlacedPort {
  id: string;
  net: string;
  side: Side;
  x: number;
  y: number;
  domain: Port["domain"];
  line: Port["line"];
}

export type NodeKind = "part" | "tank" | "shaft" | "point" | "junction";

export interface GraphNode {
  id: string;
  kind: NodeKind;
  width: number;
  height: number;
  ports: PlacedPort[];
  part?: Part;
  turned: boolean;
  label: string;
  /** Width of the symbol alone; the label stands to its right. */
  symbolWidth: number;
}

export interface GraphEdge {
  id: string;
  net: string;
  source: [string, string];
  target: [string, string];
  domain: Port["domain"];
  line: Port["line"];
}

export interface Graph {
  nodes: GraphNode[];
  edges: GraphEdge[];
}

const OPPOSITE: Record<Side, Side> = {
  north: "south",
  south: "north",
  east: "west",
  west: "east",
};

/** Size of the labels in the drawing, which is shown at about 0.6 on a small screen. */
export const LABEL_SIZE = 17;
export const LABEL_STEP = 19;
const LABEL_CHARACTER = 9.2;
const LABEL_LINE = 13;
/** Room for a computed pressure beside a test point. */
export const BADGE = 84;

/** Break a label into lines of about `LABEL_LINE` characters. */
export function labelLines(label: string): string[] {
  const lines: string[] = [];
  for (const word of label.split(" ")) {
    const last = lines.at(-1);
    if (last !== undefined && `${last} ${word}`.length <= LABEL_LINE) {
      lines[lines.length - 1] = `${last} ${word}`;
    } else {
      lines.push(word);
    }
  }
  return lines;
}

/** Room that the longest line of a label takes. */
export const labelWidth = (label: string) =>
  Math.max(...labelLines(label).map((line) => line.length)) * LABEL_CHARACTER;

function portAt(part: Part, port: Port, turned: boolean): PlacedPort {
  const along = port.offset * UNIT;
  const width = part.width * UNIT;
  const height = part.height * UNIT;
  const side = turned ? OPPOSITE[port.side] : port.side;
  const vertical = side === "north" || side === "south";
  const length = vertical ? width : height;
  const place = turned ? length - along : along;
  return {
    id: `${part.id}.${port.name}`,
    net: port.net,
    side,
    x: vertical ? place : side === "west" ? 0 : width,
    y: vertical ? (side === "north" ? 0 : height) : place,
    domain: port.domain,
    line: port.line,
  };
}

/** Nets that a part holds at the tank's pressure. */
export function tankNets(schematic: Schematic): Set<string> {
  return new Set(
    schematic.parts.flatMap((p) => p.ports.filter((q) => q.boundary).map((q) => q.net)),
  );
}

const flow = (part: Part) => part.ports.filter((p) => p.domain === "hydraulic");

/** Two-port parts between a gallery and the tank, and reliefs on a work port: oil runs down. */
export function turnedParts(schematic: Schematic): Set<string> {
  const turned = new Set<string>();
  const reached = new Set(tankNets(schematic));
  let grown = true;
  while (grown) {
    grown = false;
    for (const part of schematic.parts) {
      const [inlet, outlet] = flow(part);
      if (turned.has(part.id) || part.ports.length !== 2 || !inlet || !outlet) continue;
      if (!reached.has(outlet.net) || inlet.boundary || outlet.boundary) continue;
      const ends = schematic.parts.flatMap((p) => p.ports).filter((p) => p.net === outlet.net);
      if (ends.length > 2 && !tankNets(schematic).has(outlet.net)) continue;
      turned.add(part.id);
      reached.add(inlet.net);
      grown = true;
    }
  }
  for (const part of schematic.parts) {
    const [inlet, outlet] = flow(part);
    if (part.ports.length !== 2 || !inlet || !outlet || turned.has(part.id)) continue;
    const fedFromAbove = schematic.parts.some(
      (p) => p.ports.length > 3 && p.ports.some((q) => q.net === inlet.net && q.side === "north"),
    );
    const drains = schematic.parts.some(
      (p) => p.id !== part.id && turned.has(p.id) && p.ports.some((q) => q.net === outlet.net),
    );
    if (fedFromAbove && drains) turned.add(part.id);
  }
  return turned;
}

/** The schematic as a graph for the layout: parts, small tanks, test points, junction dots. */
export function graphOf(schematic: Schematic): Graph {
  const nodes: GraphNode[] = [];
  const ends = new Map<string, PlacedPort[]>();
  const owner = new Map<string, string>();
  const tanks = tankNets(schematic);
  const turned = turnedParts(schematic);

  const add = (node: GraphNode) => {
    nodes.push(node);
    for (const port of node.ports) {
      owner.set(port.id, node.id);
      ends.set(port.net, [...(ends.get(port.net) ?? []), port]);
    }
  };

  for (const part of schematic.parts) {
    const over = turned.has(part.id);
    const lines = labelLines(part.label);
    const room = part.named_on_demand ? 0 : labelWidth(part.label) + 8;
    const symbolWidth = part.width * UNIT;
    add({
      id: part.id,
      kind: "part",
      width: symbolWidth + room,
      height: Math.max(part.height * UNIT, part.named_on_demand ? 0 : lines.length * LABEL_STEP),
      ports: part.ports.map((p) => portAt(part, p, over)),
      part,
      turned: over,
      label: part.label,
      symbolWidth,
    });
  }
  for (const shaft of schematic.shafts) {
    add(marker(`shaft:${shaft}`, "shaft", shaft, "east", 40, "rotation"));
  }
  schematic.test_points.forEach((point, index) => {
    const domain = ends.get(point.net)?.[0]?.domain ?? "hydraulic";
    const dot = marker(`point:${point.id}`, "point", point.net, "south", 38, domain);
    add({ ...dot, label: `M${index + 1}`, width: dot.width + BADGE });
  });

  const edges: GraphEdge[] = [];
  const connect = (a: PlacedPort, b: PlacedPort, net: string) => {
    const [from, to] = a.side === "south" && b.side !== "south" ? [b, a] : [a, b];
    edges.push({
      id: `${net}:${from.id}>${to.id}`,
      net,
      source: [owner.get(from.id) ?? "", from.id],
      target: [owner.get(to.id) ?? "", to.id],
      domain: from.domain,
      line: from.line === "working" ? to.line : from.line,
    });
  };

  for (const [net, ports] of [...ends].sort(([a], [b]) => a.localeCompare(b))) {
    if (tanks.has(net)) {
      ports.forEach((port, index) => {
        if (
          schematic.parts.some((p) =>
            p.ports.some((q) => q.boundary && `${p.id}.${q.name}` === port.id),
          )
        )
          return;
        const tank = marker(`tank:${net}:${index}`, "tank", net, "north", 26, port.domain);
        nodes.push(tank);
        const own = tank.ports[0];
        if (!own) return;
        owner.set(own.id, tank.id);
        connect(own, port, net);
      });
    } else if (ports.length === 2 && ports[0] && ports[1]) {
      connect(ports[0], ports[1], net);
    } else if (ports.length > 2) {
      const dot = junction(net, ports[0]?.domain ?? "hydraulic");
      nodes.push(dot);
      for (const port of ports) {
        const up = port.side === "north" || port.side === "east";
        const end = dot.ports[up ? 0 : 1];
        if (!end) continue;
        owner.set(end.id, dot.id);
        if (up) connect(port, end, net);
        else connect(end, port, net);
      }
    }
  }
  return { nodes, edges };
}

function marker(
  id: string,
  kind: NodeKind,
  net: string,
  side: Side,
  size: number,
  domain: Port["domain"],
): GraphNode {
  const x = side === "east" ? size : size / 2;
  const y = side === "north" ? 0 : side === "south" ? size : size / 2;
  const port: PlacedPort = { id: `${id}.port`, net, side, x, y, domain, line: "working" };
  return {
    id,
    kind,
    width: size,
    height: size,
    ports: [port],
    turned: false,
    label: "",
    symbolWidth: size,
  };
}

function junction(net: string, domain: Port["domain"]): GraphNode {
  const id = `net:${net}`;
  const port = (name: string, side: Side, y: number): PlacedPort => ({
    id: `${id}.${name}`,
    net,
    side,
    x: 3,
    y,
    domain,
    line: "working",
  });
  return {
    id,
    kind: "junction",
    width: 6,
    height: 6,
    ports: [port("in", "south", 6), port("out", "north", 0)],
    turned: false,
    label: "",
    symbolWidth: 6,
  };
}
