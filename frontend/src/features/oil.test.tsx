import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Refill, SafePlan, Schematic } from "../api/client";
import { UNITS } from "../units.fixture";
import { litres, OilPlan, UnderPressure } from "./oil/OilPlan";

const refill: Refill = {
  tank_l: 80,
  stays: [{ component: "blade", label: "Blade cylinder", litres: 9.5 }],
  stays_l: 21.4,
  cycles: [0.21, 0.044],
  fresh_l: 160,
  drawn_l: 6.8,
  missing_l: 5,
  told: "5 L less ran out than the tank should hold",
  priming: [
    {
      pump: "pump",
      label: "Gear pump",
      fill: [{ component: "hose", label: "Suction hose", litres: 1.2 }],
    },
  ],
  bleeding: [
    { component: "line", label: "Brake line", rise_m: -0.4, carries_from_lpm: 2.5 },
    { component: "up", label: "Riser", rise_m: 0.6, carries_from_lpm: 0 },
  ],
};

const schematic = {
  functions: [{ id: "blade", label: "Packer blade", moves: [] }],
} as unknown as Schematic;

const asked: URL[] = [];

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("a volume as it is typed", () => {
  it("is a number from 0 on, with comma or point", () => {
    expect(litres("62,5")).toBe(62.5);
    expect(litres("0")).toBe(0);
    expect(litres("")).toBeNull();
    expect(litres("-3")).toBeNull();
    expect(litres("full")).toBeNull();
  });
});

describe("what is under pressure where oil is let out", () => {
  it("is what make safe says, all of it until that is known, and nothing where nothing is", () => {
    const line = { net: "cap", label: "Lift port", healthy_bar: 95 };
    const plan = { drive: "engine", lines: [line] } as unknown as SafePlan;
    const { rerender } = render(<UnderPressure plan={plan} />);
    expect(screen.getByText(/Lift port 95/)).toBeTruthy();
    rerender(<UnderPressure plan={null} />);
    expect(screen.getByText(/treat every line as under pressure/)).toBeTruthy();
    rerender(<UnderPressure plan={{ ...plan, lines: [] }} />);
    expect(screen.queryByText(/Make safe before/)).toBeNull();
  });
});

describe("the oil of a repair", () => {
  it("is planned once the tank's volume is known, and says what ran short", async () => {
    asked.length = 0;
    vi.stubGlobal("fetch", async (request: Request) => {
      const url = new URL(request.url);
      const safe = url.pathname.endsWith("/safe");
      if (!safe) asked.push(url);
      return new Response(JSON.stringify(safe ? { pending: false, plan: null } : refill), {
        status: 200,
        headers: { "content-type": "application/json" },
      });
    });
    render(
      <QueryClientProvider client={new QueryClient()}>
        <OilPlan revision={4} schematic={schematic} units={UNITS} />
      </QueryClientProvider>,
    );
    expect(screen.getByText(/Say how much the tank holds/)).toBeTruthy();
    expect(asked).toHaveLength(0);
    fireEvent.change(screen.getByLabelText(/In the tank/), { target: { value: "80" } });
    fireEvent.change(screen.getByLabelText(/Ran out/), { target: { value: "68,2" } });
    expect(await screen.findByText(/2 fills, 160 L of fresh oil/)).toBeTruthy();
    expect(screen.getByText(/5 L less ran out/)).toBeTruthy();
    expect(screen.getByText(/Suction hose 1.2 L/)).toBeTruthy();
    expect(screen.getByText(/stays below 2.5 L\/min/)).toBeTruthy();
    expect(screen.getByText(/any flow takes its air along/)).toBeTruthy();
    await waitFor(() => expect(asked.at(-1)?.searchParams.get("drained_l")).toBe("68.2"));
    expect(asked.at(-1)?.pathname).toBe("/api/circuits/4/refill");
  });
});
