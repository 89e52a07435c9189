import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { EntryData, FlowCurve, Reading, Schematic, Step, Workshop } from "../api/client";
import { FlowCurvePanel } from "./step/FlowCurvePanel";
import { readingsOf, rowsOf } from "./step/flowRows";

const meter = { point: "outlet", kind: "inline_flow", load_bar: 150 };
const named = {
  label: "Pump through the meter, loaded to 150 bar",
  engine: "rated",
  oil_c: 50,
  interventions: [meter],
};
const reading = (state: unknown): Reading =>
  ({ kind: "reading", id: "new", point: "outlet", quantity: "flow_lpm", state }) as Reading;
const step = (state: unknown, low: number): Step =>
  ({
    reading: reading(state),
    bits: 0.5,
    minutes: 40,
    instrument: "meter",
    healthy: { key: "healthy", low, high: low + 8 },
    by_suspect: [{ key: "pump:worn", low: low - 30, high: low - 20 }],
  }) as unknown as Step;
const half = { ...named, label: `${named.label}; meter loaded to 75 bar` };
const curve: FlowCurve = {
  loads_bar: [75, 150],
  steps: [
    step({ ...half, interventions: [{ ...meter, load_bar: 75 }] }, 66),
    step("pump_loaded", 64),
  ],
  minutes: 42,
  bits: 0.9,
  worth: 20,
};
const schematic = {
  states: [{ id: "pump_loaded", label: named.label, document: named }],
} as unknown as Schematic;
const lpm = {
  symbol: "L/min",
  kind: "flow",
  factor: 1,
  offset: 0,
  below: null,
  quantities: ["flow_lpm"],
};
const workshop = {
  units: [lpm],
  instruments: [{ id: "meter", label: "Flow meter", unit: "L/min" }],
} as unknown as Workshop;

afterEach(cleanup);

describe("rows of a flow curve", () => {
  it("are read from a pasted table, whatever parts the two numbers", () => {
    expect(rowsOf("50\t70\n100; 68,5\n\nbar L/min\n150 | 61")).toEqual([
      { bar: "50", flow: "70" },
      { bar: "100", flow: "68,5" },
      { bar: "150", flow: "61" },
    ]);
  });

  it("become readings of the curve's own states, or of the meter loaded to another pressure", () => {
    const rows = [
      { bar: "150", flow: "61" },
      { bar: "120", flow: "63" },
      { bar: "90", flow: "" },
    ];
    const { readings, wrong } = readingsOf(curve, schematic, rows, lpm, "meter");
    expect(wrong).toBeNull();
    expect(readings.map((r) => r.value)).toEqual([61, 63]);
    expect(readings[0]?.state).toBe("pump_loaded");
    expect(readings[1]?.state).toMatchObject({
      label: "Pump through the meter, loaded to 150 bar; meter loaded to 120 bar",
      interventions: [{ point: "outlet", load_bar: 120 }],
    });
  });

  it("say what is wrong with one that cannot be", () => {
    const wrong = (...rows: [string, string][]) =>
      readingsOf(
        curve,
        schematic,
        rows.map(([bar, flow]) => ({ bar, flow })),
        lpm,
        null,
      ).wrong;
    expect(wrong(["900", "60"])).toContain("no pressure from 0 to 600");
    expect(wrong(["100", "much"])).toContain("“much” is no flow");
    expect(wrong(["75", "60"], ["75", "61"])).toContain("75 bar stands there twice");
  });
});

describe("flow at several pressures", () => {
  it("is drawn, filled in or pasted, and kept as one reading a row", () => {
    const kept: EntryData[] = [];
    const onKeep = vi.fn((data: EntryData) => kept.push(data));
    render(
      <FlowCurvePanel
        curve={curve}
        single={step("pump_loaded", 64)}
        schematic={schematic}
        workshop={workshop}
        names={new Map([["pump:worn", "Pump worn"]])}
        onKeep={onKeep}
      />,
    );
    screen.getByText(/0\.90 bit instead of 0\.50, 2 min more/);
    screen.getByRole("img", { name: /healthy machine, Pump worn/ });
    expect(screen.getByRole("button", { name: "Keep the readings" })).toHaveProperty(
      "disabled",
      true,
    );
    fireEvent.change(screen.getByLabelText("Flow of row 1"), { target: { value: "48" } });
    fireEvent.change(screen.getByLabelText("Flow of row 2"), { target: { value: "x" } });
    screen.getByText("“x” is no flow");
    fireEvent.paste(screen.getByLabelText("Flow of row 2"), {
      clipboardData: { getData: () => "50 49\n100 44\n150 40" },
    });
    fireEvent.click(screen.getByRole("button", { name: "Keep 3 readings" }));
    expect(kept.map((k) => (k as Reading).value)).toEqual([49, 44, 40]);
    expect(kept.map((k) => (k as Reading).id)).toEqual(["new", "new", "new"]);
  });
});
