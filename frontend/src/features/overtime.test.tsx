import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Suspect, Watched } from "../api/client";
import { Along, Drawn, faultOf, type Moment, overTime, range } from "./step/OverTime";

afterEach(cleanup);

const watched = (values: number[], level: number | null = null): Watched => ({
  what: "Gauge at the store",
  unit: "bar",
  time_s: values.map((_, i) => i * 10),
  values,
  phases: [
    { at_s: 0, label: "Running" },
    { at_s: 10, label: "Parked" },
  ],
  level,
  moments_s: [0, 10],
  nets: [{ net: "store", unit: "bar", values: values.slice(0, 2) }],
});

const suspect = (severity: number, faults = 1) =>
  ({
    key: "store:gas_lost",
    title: "Store: gas lost",
    severity,
    faults: Array.from({ length: faults }, () => ({})),
  }) as unknown as Suspect;

describe("a curve over time", () => {
  it("is there for what passes, not for a steady reading or a cycle of work", () => {
    expect(overTime("left_bar")).toBe(true);
    expect(overTime("pressure_bar")).toBe(false);
    expect(overTime("settled_c")).toBe(false);
  });

  it("is played for one fault at a time, to a twentieth", () => {
    expect(faultOf(suspect(0.633))).toBe("store:gas_lost=0.65");
    expect(faultOf(suspect(0.001))).toBe("store:gas_lost=0.05");
    expect(faultOf(suspect(0.5, 2))).toBeNull();
    expect(faultOf(undefined)).toBeNull();
  });

  it("has room for both machines and for what is waited for", () => {
    const { low, high } = range([watched([100, 80]), watched([90, 20], 150)]);
    expect(low).toBe(0);
    expect(high).toBeGreaterThan(150);
    expect(range([watched([-0.5, 0])]).low).toBe(-0.5);
    expect(range([watched([0, 0])]).high).toBe(1);
  });

  it("lets the map play along, in order and with the fault", () => {
    const told: (string | null)[] = [];
    const pressures: (number | undefined)[] = [];
    const shown = render(
      <Along
        healthy={watched([180, 170])}
        suspected={watched([180, 90])}
        name="Store: gas lost"
        onMoment={hear}
      />,
    );
    function hear(moment: Moment | null) {
      told.push(moment?.words ?? null);
      pressures.push(moment?.solved.nets.store?.value);
    }
    expect(told).toEqual([]);
    fireEvent.change(screen.getByRole("slider"), { target: { value: "1" } });
    expect(told.at(-1)).toBe("10.0 s, in order: Parked");
    expect(pressures.at(-1)).toBe(170);
    fireEvent.click(screen.getByRole("button", { name: "Show it with the fault" }));
    expect(told.at(-1)).toBe("10.0 s, if Store: gas lost: Parked");
    expect(pressures.at(-1)).toBe(90);
    fireEvent.click(screen.getByRole("button", { name: "Leave the map as it was" }));
    expect(told.at(-1)).toBeNull();
    shown.unmount();
    expect(told.at(-1)).toBeNull();
  });

  it("runs through the moments by itself, and begins again at the end", () => {
    vi.useFakeTimers();
    const told: (string | undefined)[] = [];
    const hear = (moment: Moment | null) => told.push(moment?.words);
    render(<Along healthy={watched([180, 170])} suspected={null} name="" onMoment={hear} />);
    fireEvent.click(screen.getByRole("button", { name: "Play it on the map" }));
    act(() => void vi.advanceTimersByTime(4100));
    expect(told.at(-1)).toContain("0 s, in order");
    act(() => void vi.advanceTimersByTime(4000));
    expect(told.at(-1)).toContain("10.0 s");
    act(() => void vi.advanceTimersByTime(4000));
    expect(told.at(-1)).toContain("0 s, in order");
    vi.useRealTimers();
  });

  it("says in words where both end", () => {
    render(
      <Drawn
        healthy={watched([180, 178, 175])}
        suspected={watched([180, 90, 40])}
        name="Store: gas lost"
      />,
    );
    const drawn = screen.getByRole("img");
    expect(drawn.getAttribute("aria-label")).toBe(
      "Gauge at the store over 20.0 s: in order it ends at 175 bar, if Store: gas lost at 40.0 bar",
    );
    expect(drawn.querySelectorAll("path.stroke-suspect")).toHaveLength(1);
  });
});
