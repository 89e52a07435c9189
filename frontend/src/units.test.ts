import { describe, expect, it } from "vitest";
import { press } from "./features/reading/Keypad";
import { formatNet, pressureColour } from "./schematic/scale";
import { fitView, pan, zoom } from "./schematic/view";
import { fromBase, percent, show, showBand, sized, unitsFor } from "./units";
import { UNITS } from "./units.fixture";

describe("units", () => {
  it("offers the units of the quantity only", () => {
    expect(unitsFor(UNITS, "pressure_bar").map((u) => u.symbol)).toEqual(["bar", "psi"]);
  });
  it("converts from the base unit", () => {
    expect(fromBase(100, UNITS[1] as (typeof UNITS)[0])).toBeCloseTo(1450.38, 2);
    expect(fromBase(100, UNITS[2] as (typeof UNITS)[0])).toBeCloseTo(212, 6);
  });
  it("shows a value in a unit of its size", () => {
    expect(sized(0.0039, "flow", UNITS)).toBe("3.9\u00a0cm³/min");
    expect(sized(39, "flow", UNITS)).toBe("39.0\u00a0L/min");
    expect(sized(0, "flow", UNITS)).toBe("0.0\u00a0L/min");
    expect(sized(0.0085, "volume", UNITS)).toBe("8.5\u00a0cm³");
  });
  it("gives a net its own unit, and nothing no sign", () => {
    expect(formatNet({ value: 12.57, unit: "V" })).toBe("12.6 V");
    expect(formatNet({ value: 183.6, unit: "bar" })).toBe("184 bar");
    expect(formatNet({ value: -0.0001, unit: "bar" })).toBe("0.0 bar");
  });
  it("shows about three figures", () => {
    expect([show(183.6), show(18.36), show(1.836), show(0.5)]).toEqual([
      "184",
      "18.4",
      "1.84",
      "0.5",
    ]);
  });
  it("says when a band is open at an end", () => {
    expect(showBand(-1e9, 10, "bar")).toBe("at most 10.0 bar");
    expect(showBand(64, 1e9, "L/min")).toBe("at least 64.0 L/min");
    expect(showBand(178, 190, "bar")).toBe("178 … 190 bar");
  });
});

describe("keypad", () => {
  const type = (keys: string) => [...keys].reduce(press, "");
  it("takes digits, one point and a sign that flips", () => {
    expect(type("13.3.1")).toBe("13.31");
    expect(type("5−")).toBe("-5");
    expect(type("5−−")).toBe("5");
  });
  it("stops at six digits", () => {
    expect(type("12345678")).toBe("123456");
  });
});

describe("pressure colours", () => {
  it("grow darker evenly with pressure", () => {
    const lightness = (bar: number) => {
      const [r = 0, g = 0, b = 0] = (pressureColour(bar).match(/\d+/g) ?? []).map(Number);
      return 0.2126 * r + 0.7152 * g + 0.0722 * b;
    };
    const steps = [0, 10, 40, 90, 160, 250].map(lightness);
    for (let i = 1; i < steps.length; i++) expect(steps[i]).toBeLessThan(steps[i - 1] ?? 0);
    expect(pressureColour(900)).toBe(pressureColour(250));
  });
});

describe("a share of the belief", () => {
  it("is never said to be certain, nor is what is little nothing", () => {
    expect([0, 0.004, 0.006, 0.784, 0.994, 0.9996].map(percent)).toEqual([
      "0 %",
      "< 1 %",
      "1 %",
      "78 %",
      "99 %",
      "> 99 %",
    ]);
  });
});

describe("view", () => {
  it("fits the drawing with its proportions, zooms about a point, pans", () => {
    const view = fitView(1000, 500, 800, 800);
    expect(view.width).toBeCloseTo(view.height);
    expect(view.width).toBeGreaterThan(1000);
    const near = zoom(view, 2, view.x, view.y);
    expect(near.width).toBeCloseTo(view.width / 2);
    expect([near.x, near.y]).toEqual([view.x, view.y]);
    expect(pan(view, 10, -5)).toEqual({ ...view, x: view.x + 10, y: view.y - 5 });
  });
});
