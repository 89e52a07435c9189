import { describe, expect, it } from "vitest";
import type { GraphNode, Part } from "./graph";
import { labelSide, linesWith, overhang } from "./labels";

const node = (id: string, onDemand: boolean): GraphNode =>
  ({
    id,
    symbolWidth: 17,
    width: 17,
    height: 27,
    part: {
      label: "Brake hose, right wheel",
      named_on_demand: onDemand,
      width: 1,
      height: 1.6,
    } as Part,
  }) as GraphNode;
const part = (id: string, letters: number) =>
  ({ id, label: "x".repeat(letters), named_on_demand: true, width: 1, height: 1.6 }) as Part;
const at = (item: GraphNode, x: number, y: number) => ({ item, x, y });

describe("a label that was given no room", () => {
  const hose = at(node("hose", true), 200, 100);

  it("stands to the right, as all others", () => {
    expect(labelSide(hose, { width: 600, nodes: [hose] }, 3)).toBe("right");
  });

  it("stands to the left where something else is there, or the drawing ends", () => {
    const gauge = at(node("point:m", false), 250, 95);
    expect(labelSide(hose, { width: 600, nodes: [hose, gauge] }, 3)).toBe("left");
    expect(labelSide(hose, { width: 260, nodes: [hose] }, 3)).toBe("left");
  });

  it("stays where it is where nothing is better", () => {
    const both = [at(node("a", false), 250, 95), at(node("b", false), 120, 95)];
    expect(labelSide(hose, { width: 600, nodes: [hose, ...both] }, 3)).toBe("right");
  });

  it("that has its own room is not moved", () => {
    const pump = at(node("pump", false), 200, 100);
    const gauge = at(node("point:m", false), 250, 95);
    expect(labelSide(pump, { width: 600, nodes: [pump, gauge] }, 2)).toBe("right");
  });

  it("widens what is shown by what it reaches past the drawing, once it is named", () => {
    const drawing = { width: 260, nodes: [at(node("hose", true), 240, 100)] };
    drawing.nodes[0] = at({ ...node("hose", true), part: part("hose", 12) }, 240, 100);
    drawing.nodes.push(at(node("b", false), 130, 95));
    expect(overhang(drawing, new Map())).toBe(0);
    expect(overhang(drawing, new Map([["hose", 0.4]]))).toBeCloseTo(240 + 17 + 7 + 12 * 9.2 - 260);
  });
});

describe("a share", () => {
  it("stands in the label's last line where that is short enough, else below it", () => {
    expect(linesWith("Control pressure valve", 0.02)).toBe(3);
    expect(linesWith("Control pressure valve", 0.12)).toBe(4);
    expect(linesWith("Relief valve in the fan motor", 0.97)).toBe(3);
    expect(linesWith("Charge relief", 0.14)).toBe(2);
  });
});
