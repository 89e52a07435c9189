import { describe, expect, it } from "vitest";
import { formatNet } from "./scale";
import { around, openingView } from "./view";

const PANE = [800, 600] as const;
const box = (x: number, y: number) => ({ x, y, width: 40, height: 30 });

describe("openingView", () => {
  it("shows all of a drawing that can be read", () => {
    const view = openingView(900, 500, ...PANE, 1200, [box(850, 450)]);
    expect(view.x).toBeLessThan(0);
    expect(view.x + view.width).toBeGreaterThan(900);
    expect(view.y + view.height).toBeGreaterThan(500);
  });

  it("shows a large one readable, with what is needed in the middle", () => {
    const view = openingView(4000, 2000, ...PANE, 1200, [box(2000, 1000)]);
    expect(view).toEqual({ x: 1420, y: 565, width: 1200, height: 900 });
  });

  it("does not look past the edge of the drawing", () => {
    const corner = openingView(4000, 2000, ...PANE, 1200, [box(3990, 5)]);
    expect(corner.x + corner.width).toBe(4014);
    expect(corner.y).toBe(-14);
    const low = openingView(4000, 300, ...PANE, 1200, [box(100, 100)]);
    expect(low.y + low.height / 2).toBe(150);
  });

  it("leaves out what is needed least where not everything fits", () => {
    const view = openingView(4000, 2000, ...PANE, 1200, [
      box(200, 900),
      box(900, 900),
      box(3900, 900),
    ]);
    const inside = (x: number) => x >= view.x && x + 40 <= view.x + view.width;
    expect([inside(200), inside(900), inside(3900)]).toEqual([true, true, false]);
  });

  it("stands in the middle where nothing is needed", () => {
    const view = openingView(4000, 2000, ...PANE, 1200, []);
    expect(view.x + view.width / 2).toBe(2000);
    expect(around([])).toBeNull();
  });
});

describe("formatNet", () => {
  it("gives what rounds to nothing no sign, of volts as of bar", () => {
    expect(formatNet({ value: -0.02, unit: "V" })).toBe("0.0 V");
    expect(formatNet({ value: -0.04, unit: "bar" })).toBe("0.0 bar");
    expect(formatNet({ value: -0.16, unit: "bar" })).toBe("-0.2 bar");
    expect(formatNet({ value: 12.66, unit: "V" })).toBe("12.7 V");
    expect(formatNet({ value: 183.6, unit: "bar" })).toBe("184 bar");
  });
});
