import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { MachineState, Readable, Reading, Schematic } from "../api/client";
import { OwnReading } from "./step/OwnReading";
import { stateWith } from "./step/onTheSpot";

const document = {
  label: "Blade held",
  engine: "rated",
  oil_c: 50,
  moves: { blade: "extend" },
  loads: { blade: "stalled" },
  interventions: [],
} as unknown as MachineState;

const schematic = {
  states: [{ id: "held", label: "Blade held", engine: "rated", oil_c: 50, moves: {}, document }],
  functions: [
    {
      id: "blade",
      label: "Blade",
      moves: [
        { id: "extend", label: "out" },
        { id: "retract", label: "in" },
      ],
      loads: ["free", "working", "stalled", "held"],
    },
  ],
  test_points: [
    { id: "gauge", label: "Gauge port", methods: ["tee_gauge"] },
    { id: "outlet", label: "Pump outlet", methods: ["tee_gauge", "inline_flow", "cap"] },
  ],
} as unknown as Schematic;

const offers: Readable[] = [
  {
    quantity: "pressure_bar",
    quantity_label: "pressure",
    unit: "bar",
    place: "gauge",
    place_label: "Gauge port",
    states: ["held"],
  },
];

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("a state put together on the spot", () => {
  it("is the named one where nothing is changed", () => {
    expect(stateWith(schematic, "held", {})).toBe("held");
    expect(stateWith(schematic, "held", { engine: "rated", oil: "50" })).toBe("held");
    expect(
      stateWith(schematic, "held", { moves: { blade: "extend" }, loads: { blade: "stalled" } }),
    ).toBe("held");
  });

  it("keeps loads and levers, and says what is different in its name", () => {
    const cold = stateWith(schematic, "held", { engine: "1200", oil: "12,5" }) as MachineState;
    expect(cold).toMatchObject({ engine: 1200, oil_c: 12.5, moves: { blade: "extend" } });
    expect(cold.label).toBe("Blade held; engine 1200 rpm; oil 12.5 °C");
    expect(stateWith(schematic, "held", { engine: "idle" })).toMatchObject({
      engine: "idle",
      oil_c: 50,
    });
  });

  it("moves another lever, with the load that goes with it", () => {
    const back = stateWith(schematic, "held", { moves: { blade: "retract" } }) as MachineState;
    expect(back.moves).toEqual({ blade: "retract" });
    // The load of the move before is not kept: the core takes the usual one.
    expect(back.loads).toEqual({});
    expect(back.label).toBe("Blade held; Blade in");
    const neutral = stateWith(schematic, "held", {
      moves: { blade: "" },
      loads: { blade: "held" },
    }) as MachineState;
    expect(neutral.moves).toEqual({});
    expect(neutral.loads).toEqual({ blade: "held" });
    expect(neutral.label).toBe("Blade held; Blade lever in neutral, load held");
  });

  it("puts the shop's kit in line and takes it out", () => {
    const meter = stateWith(schematic, "held", {
      kit: { outlet: { kind: "inline_flow", loadBar: "120" } },
    }) as MachineState;
    expect(meter.interventions).toEqual([{ point: "outlet", kind: "inline_flow", load_bar: 120 }]);
    expect(meter.label).toBe("Blade held; meter at Pump outlet, loaded to 120 bar");
    const fitted = { ...schematic.states[0], document: meter } as Schematic["states"][number];
    const before = { ...schematic, states: [fitted] } as Schematic;
    const without = stateWith(before, "held", { kit: { outlet: { kind: "", loadBar: "" } } });
    expect((without as MachineState).interventions).toEqual([]);
    expect(
      stateWith(schematic, "held", { kit: { outlet: { kind: "inline_flow", loadBar: "much" } } }),
    ).toBeNull();
  });

  it("is none while the temperature is no number", () => {
    expect(stateWith(schematic, "held", { oil: "warm" })).toBeNull();
  });

  it("is left as described for what is read in time", () => {
    expect(stateWith(schematic, "passing", { engine: "900", oil: "10" })).toBe("passing");
  });
});

describe("a reading of one's own choice", () => {
  const show = (asked: Reading[], trouble: string | null = null) => {
    vi.stubGlobal(
      "fetch",
      async () =>
        new Response(JSON.stringify(offers), {
          status: 200,
          headers: { "content-type": "application/json" },
        }),
    );
    render(
      <QueryClientProvider client={new QueryClient()}>
        <OwnReading
          revision={1}
          schematic={schematic}
          trouble={trouble}
          busy={false}
          onAsk={(reading) => asked.push(reading)}
        />
      </QueryClientProvider>,
    );
    const details = screen.getByText(/Another reading/).closest("details") as HTMLDetailsElement;
    details.open = true;
    fireEvent(details, new Event("toggle"));
  };

  it("asks what it would show, in the state that is chosen", async () => {
    const asked: Reading[] = [];
    show(asked);
    const ask = await screen.findByRole("button", { name: /What would it show/ });
    fireEvent.click(ask);
    fireEvent.change(screen.getByLabelText("Oil [°C]"), { target: { value: "20" } });
    fireEvent.click(ask);
    expect(asked[0]).toMatchObject({ point: "gauge", quantity: "pressure_bar", state: "held" });
    expect(asked[1]?.state).toMatchObject({ oil_c: 20 });
    fireEvent.change(screen.getByLabelText("Oil [°C]"), { target: { value: "hot" } });
    expect((ask as HTMLButtonElement).disabled).toBe(true);
  });

  it("says why something cannot be judged", async () => {
    show([], "there is no steady state");
    expect(await screen.findByText("there is no steady state")).toBeTruthy();
  });
});
