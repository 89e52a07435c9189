import Elk from "elkjs/lib/elk.bundled.js";
import type { ElkNode } from "elkjs/lib/elk-api";
import { describe, expect, it, vi } from "vitest";
import type { Schematic } from "../api/client";
import { graphOf, labelLines, type Part, turnedParts } from "./graph";
import { layOut, letteringPx, READABLE_PX } from "./layout";

type PortSpec = [name: string, net: string, side: "north" | "south" | "east" | "west"];

function part(id: string, ports: PortSpec[], boundary = ""): Part {
  return {
    id,
    type: "x",
    type_label: "X",
    label: id,
    location: "",
    named_on_demand: false,
    width: 2,
    height: 2,
    strokes: ["M0 0H2"],
    dashed: [],
    filled: [],
    ports: ports.map(([name, net, side]) => ({
      name,
      net,
      side,
      offset: 1,
      domain: "hydraulic",
      line: "working",
      boundary: name === boundary,
    })),
  };
}

const schematic: Schematic = {
  circuit_id: "c",
  revision: 1,
  name: "C",
  fluid: "46",
  shafts: [],
  functions: [],
  states: [],
  notes: {},
  remarks: [],
  warmth_weighed: false,
  curve_of: {},
  test_points: [
    {
      id: "m",
      label: "M",
      net: "p",
      port: null,
      fitting: "",
      access_min: 1,
      methods: ["tee_gauge"],
    },
  ],
  parts: [
    part(
      "tank",
      [
        ["tank", "t", "north"],
        ["suction", "s", "north"],
      ],
      "tank",
    ),
    part("pump", [
      ["inlet", "s", "south"],
      ["outlet", "p", "north"],
    ]),
    part("relief", [
      ["inlet", "p", "south"],
      ["outlet", "t", "north"],
    ]),
    part("motor", [
      ["a", "p", "south"],
      ["b", "r", "north"],
    ]),
    part("filter", [
      ["inlet", "r", "south"],
      ["outlet", "t", "north"],
    ]),
  ],
};

describe("graphOf", () => {
  const graph = graphOf(schematic);

  it("draws a small tank at every return instead of lines to one tank", () => {
    const tanks = graph.nodes.filter((n) => n.kind === "tank");
    expect(tanks).toHaveLength(2);
    expect(graph.edges.filter((e) => e.net === "t")).toHaveLength(2);
  });

  it("puts a dot where three or more ends meet, and none where two do", () => {
    expect(graph.nodes.filter((n) => n.kind === "junction").map((n) => n.id)).toEqual(["net:p"]);
    expect(graph.edges.filter((e) => e.net === "p")).toHaveLength(4);
    expect(graph.edges.filter((e) => e.net === "s")).toHaveLength(1);
  });

  it("numbers the test points", () => {
    expect(graph.nodes.find((n) => n.kind === "point")?.label).toBe("M1");
  });

  it("turns what lies between the last gallery and the tank, so oil runs down in it", () => {
    expect(turnedParts(schematic)).toContain("filter");
    expect(turnedParts(schematic)).not.toContain("pump");
    const filter = graph.nodes.find((n) => n.id === "filter");
    expect(filter?.ports.map((p) => p.side)).toEqual(["north", "south"]);
  });
});

describe("graphOf with an electrical side", () => {
  const wired = (name: string, ports: PortSpec[], boundary = "") => {
    const made = part(name, ports, boundary);
    return { ...made, ports: made.ports.map((p) => ({ ...p, domain: "electrical" as const })) };
  };
  const graph = graphOf({
    ...schematic,
    test_points: [
      {
        id: "v",
        label: "V",
        net: "plus",
        port: null,
        fitting: "",
        access_min: 1,
        methods: ["voltmeter"],
      },
    ],
    parts: [
      wired(
        "battery",
        [
          ["frame", "f", "south"],
          ["plus", "plus", "north"],
        ],
        "frame",
      ),
      wired("coil", [
        ["plus", "plus", "south"],
        ["minus", "f", "north"],
      ]),
    ],
  });

  it("ends wires at the frame, not in a tank", () => {
    const ends = graph.nodes.filter((n) => n.kind === "tank");
    expect(ends.map((n) => n.ports[0]?.domain)).toEqual(["electrical"]);
  });

  it("reads a voltage where a wire is probed", () => {
    const point = graph.nodes.find((n) => n.kind === "point");
    expect(point?.ports[0]?.domain).toBe("electrical");
  });
});

describe("layOut", () => {
  it("places everything, without overlap, the same each time, with right angles only", async () => {
    const first = await layOut(schematic, new Elk());
    expect(await layOut(schematic, new Elk())).toEqual(first);
    for (const a of first.nodes) {
      for (const b of first.nodes) {
        if (a === b) continue;
        const apart =
          a.x + a.item.width <= b.x ||
          b.x + b.item.width <= a.x ||
          a.y + a.item.height <= b.y ||
          b.y + b.item.height <= a.y;
        expect(apart).toBe(true);
      }
    }
    for (const route of first.routes) {
      expect(route.points.length).toBeGreaterThan(1);
      route.points.slice(1).forEach((p, i) => {
        const q = route.points[i];
        expect(q && (Math.abs(q.x - p.x) < 1e-6 || Math.abs(q.y - p.y) < 1e-6)).toBe(true);
      });
    }
    const y = (id: string) => first.nodes.find((n) => n.item.id === id)?.y ?? 0;
    expect(y("tank")).toBeGreaterThan(y("pump"));
  });
});

describe("a circuit that is being typed", () => {
  /** Sections between a gallery and the return, each with its own motor, in an order of their own. */
  const block = (...names: string[]): Schematic => ({
    ...schematic,
    test_points: [],
    parts: [
      ...schematic.parts.filter((p) => p.id !== "motor"),
      ...names.flatMap((name) => [
        part(`${name}_valve`, [
          ["inlet", "p", "south"],
          ["a", `${name}_a`, "north"],
        ]),
        part(`${name}_motor`, [
          ["a", `${name}_a`, "south"],
          ["b", "r", "north"],
        ]),
      ]),
    ],
  });
  const motors = (drawing: { nodes: { item: { id: string }; x: number }[] }, of: string[]) =>
    drawing.nodes
      .filter((n) => of.some((name) => n.item.id === `${name}_motor`))
      .sort((a, b) => a.x - b.x)
      .map((n) => n.item.id);
  const names = ["e", "b", "f", "a", "d"];

  it("keeps its order from left to right when a part is added or taken away", async () => {
    const before = await layOut(block(...names), new Elk());
    const more = await layOut(block("c", ...names), new Elk(), before);
    expect(motors(more, names)).toEqual(motors(before, names));
    const less = await layOut(block("c", "b", "f", "a"), new Elk(), more);
    expect(motors(less, ["b", "f", "a"])).toEqual(
      motors(before, names).filter((id) => !["e_motor", "d_motor"].includes(id)),
    );
  });

  it("is drawn anew where it is another circuit", async () => {
    const other = await layOut(schematic, new Elk());
    const big = block(...names, "g", "h");
    expect(await layOut(big, new Elk(), other)).toEqual(await layOut(big, new Elk()));
  });
});

describe("a part that is named on demand", () => {
  const hose = {
    ...schematic,
    parts: schematic.parts.map((p) => ({ ...p, label: "A long name" })),
  };
  const quiet = { ...hose, parts: hose.parts.map((p) => ({ ...p, named_on_demand: true })) };

  it("takes no room for its name", () => {
    const width = (of: Schematic) => graphOf(of).nodes.find((n) => n.kind === "part")?.width ?? 0;
    expect(width(quiet)).toBe(graphOf(quiet).nodes.find((n) => n.kind === "part")?.symbolWidth);
    expect(width(hose)).toBeGreaterThan(width(quiet));
  });
});

describe("placing", () => {
  const sized = (width: number, height: number) => ({
    layout: vi.fn(async (graph: ElkNode) => ({ ...graph, width, height })),
  });

  it("keeps the straightest lines where these can be read", async () => {
    const engine = sized(800, 500);
    const drawing = await layOut(schematic, engine);
    expect(engine.layout).toHaveBeenCalledTimes(1);
    expect(letteringPx(drawing)).toBeGreaterThan(READABLE_PX);
  });

  it("else takes the way that shows it largest", async () => {
    const widths = [4000, 2000, 3000];
    const engine = {
      layout: vi.fn(async (graph: ElkNode) => ({ ...graph, width: widths.shift(), height: 500 })),
    };
    expect((await layOut(schematic, engine)).width).toBe(2000);
    expect(engine.layout).toHaveBeenCalledTimes(3);
  });
});

describe("labelLines", () => {
  it("breaks long labels between words", () => {
    expect(labelLines("Port relief, blade extend")).toEqual(["Port relief,", "blade extend"]);
    expect(labelLines("Anschlussverschraubung")).toEqual(["Anschlussverschraubung"]);
  });
});
