import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { MachineState, Readable, Reading, Schematic } from "../api/client";
import { OwnReading, stateWith } from "./step/OwnReading";

const document = {
  label: "Blade held",
  engine: "rated",
  oil_c: 50,
  moves: { blade: "extend" },
} as unknown as MachineState;

const schematic = {
  states: [{ id: "held", label: "Blade held", engine: "rated", oil_c: 50, moves: {}, document }],
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
    expect(stateWith(schematic, "held", "", "")).toBe("held");
    expect(stateWith(schematic, "held", "rated", "50")).toBe("held");
  });

  it("keeps loads and levers, and says what is different in its name", () => {
    const cold = stateWith(schematic, "held", "1200", "12,5") as MachineState;
    expect(cold).toMatchObject({ engine: 1200, oil_c: 12.5, moves: { blade: "extend" } });
    expect(cold.label).toBe("Blade held, engine 1200 rpm, oil 12.5 °C");
    expect(stateWith(schematic, "held", "idle", "")).toMatchObject({ engine: "idle", oil_c: 50 });
  });

  it("is none while the temperature is no number", () => {
    expect(stateWith(schematic, "held", "", "warm")).toBeNull();
  });

  it("is left as described for what is read in time", () => {
    expect(stateWith(schematic, "passing", "900", "10")).toBe("passing");
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
