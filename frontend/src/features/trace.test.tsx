import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { CircuitTrace, MoveTrace, Schematic, Station } from "../api/client";
import type { ShownEntry } from "../api/outbox";
import { UNITS } from "../units.fixture";
import { complaintOf, litBy, sharedRows, stateOf, TracePanel } from "./trace/TracePanel";

afterEach(cleanup);

const station = (component: string, more: Partial<Station> = {}): Station => ({
  component,
  label: `Label of ${component}`,
  entered_by: "inlet",
  left_by: "outlet",
  flow_lpm: 40,
  before_bar: 100,
  after_bar: 90,
  held_by: [],
  ...more,
});

const lift: MoveTrace = {
  function: "lift",
  move: "up",
  label: "Lift up",
  pressure: [station("pump"), station("section", { held_by: ["lever 1"] })],
  returning: [station("filter", { after_bar: -0.01 })],
  signals: [{ component: "lock", label: "Lock", port: "pilot", bar: 25, neutral_bar: 0 }],
  drains: [],
  coils: [],
  contacts: ["Lever: 1"],
  parts: ["pump", "section", "filter", "lock"],
  known: true,
};
const tilt: MoveTrace = { ...lift, function: "tilt", label: "Tilt up", parts: ["pump"] };

const trace: CircuitTrace = {
  circuit: "c",
  neutral: [],
  moves: [lift, tilt],
  parts: [
    { component: "pump", label: "Pump", moves: ["lift.up", "tilt.up"] },
    { component: "section", label: "Section", moves: ["lift.up"] },
  ],
};

const told = (fn: string, how: string, standing = true): ShownEntry =>
  ({
    sequence: 1,
    standing,
    data: { kind: "behaviour", id: "x", function: fn, move: "up", how, when: "warm" },
  }) as unknown as ShownEntry;

const schematic = {
  parts: [
    {
      id: "pump",
      ports: [
        { name: "outlet", net: "p" },
        { name: "case", net: "d" },
      ],
    },
    { id: "lock", ports: [{ name: "pilot", net: "x" }] },
  ],
  states: [
    { id: "both", engine: "rated", moves: { lift: "up", tilt: "up" } },
    { id: "off", engine: "off", moves: { lift: "up" } },
    { id: "lift_up", engine: "rated", moves: { lift: "up" } },
  ],
} as unknown as Schematic;

describe("tracing", () => {
  it("puts on top what the failing moves share and the working ones do not", () => {
    const { bad, good } = complaintOf([
      told("lift", "slow"),
      told("tilt", "as_usual"),
      told("tilt", "dead", false),
    ]);
    expect([[...bad], [...good]]).toEqual([["lift.up"], ["tilt.up"]]);
    expect(sharedRows(trace, bad, good).map((r) => [r.component, r.score])).toEqual([
      ["section", 1],
      ["pump", 0],
    ]);
  });

  it("believes what was seen last of a move", () => {
    const { bad, good } = complaintOf([told("lift", "slow"), told("lift", "as_usual")]);
    expect([[...bad], [...good]]).toEqual([[], ["lift.up"]]);
  });

  it("lights the lines that the oil takes, and its pilot lines", () => {
    expect([...litBy(lift, schematic).nets].sort()).toEqual(["p", "x"]);
    expect(litBy(lift, schematic).parts.has("lock")).toBe(true);
  });

  it("shows the state in which this move is made alone", () => {
    expect(stateOf(lift, schematic)).toBe("lift_up");
    expect(stateOf({ ...lift, move: "down" }, schematic)).toBeNull();
  });

  it("lists the way with what holds each valve, and chooses a part", () => {
    const select = vi.fn();
    render(
      <TracePanel
        trace={trace}
        entries={[told("lift", "slow")]}
        suspicion={new Map([["section", 0.42]])}
        chosen={lift}
        onChoose={vi.fn()}
        onSelect={select}
        units={UNITS}
      />,
    );
    expect(screen.getByText(/Held by lever 1/)).toBeTruthy();
    expect(screen.getByText("0.0 bar · 40.0 L/min")).toBeTruthy();
    expect(screen.getByText("42 %")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: /Label of section/ }));
    expect(select).toHaveBeenCalledWith("section");
  });
});
