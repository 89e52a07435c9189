import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { MemoryRouter, Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { MachineRecord, Trend } from "../api/client";
import { HistoryPage } from "./history/HistoryPage";
import { places, valueScale } from "./history/Trend";

const at = (hours: number, value: number, verdict: "pass" | "low" | null, after = false) => ({
  job: "11111111-1111-1111-1111-111111111111",
  entry: `22222222-2222-2222-2222-${String(hours).padStart(12, "0")}`,
  read_at: "2026-01-01T00:00:00Z",
  hours,
  value,
  verdict,
  after_repair: after,
  machine_id: 3,
  machine: "Packer no. 4, R1",
});

const trend: Trend = {
  quantity: "pressure_bar",
  unit: "bar",
  place: "gauge",
  place_label: "Gauge port",
  state: "stalled",
  state_label: "Blade held",
  low: 180,
  high: 190,
  source: "Manual 4.2",
  readings: [at(2950, 162, "low"), at(3000, 186, "pass", true)],
};

const record: MachineRecord = {
  machine: {
    id: 3,
    name: "Packer no. 4",
    owner: "City",
    serial: "R1",
    hours: 4100,
    recent_work: "",
    circuit_id: "c",
  },
  circuit_name: "Refuse packer",
  jobs: [
    {
      id: "11111111-1111-1111-1111-111111111111",
      complaint: "Does not pack",
      created_at: "2026-01-01T00:00:00Z",
      hours: 2950,
      found: "Main relief",
      in_order: null,
      done: [{ part: "Main relief", text: "Set to 185 bar.", done_at: "2026-01-02T00:00:00Z" }],
    },
  ],
  trends: [trend],
  baseline: [{ words: "Gauge port 186 bar", hours: 3000, renewed_since: ["Pump"] }],
  settled: [
    {
      component: "relief",
      label: "Main relief",
      parameter: "set_bar",
      description: "cracking pressure",
      unit: "bar",
      documented: 175,
      spread_before: 2.1,
      value: 176.7,
      spread: 1.4,
    },
  ],
};

const sent: { url: string; method: string; body: unknown }[] = [];

function serve(found: MachineRecord) {
  sent.length = 0;
  vi.stubGlobal("fetch", async (request: Request) => {
    const body = request.method === "GET" ? null : await request.json();
    sent.push({ url: new URL(request.url).pathname, method: request.method, body });
    const answer = request.method === "PATCH" ? { ...found.machine, ...body } : found;
    return new Response(JSON.stringify(answer), {
      status: 200,
      headers: { "content-type": "application/json" },
    });
  });
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={["/machines/3"]}>
        <Routes>
          <Route path="/machines/:machineId" element={<HistoryPage />} />
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("scales of a trend", () => {
  it("hold all readings and both ends of the specification", () => {
    const scale = valueScale(trend);
    expect(scale.low).toBeLessThan(162);
    expect(scale.high).toBeGreaterThan(190);
    expect(valueScale({ low: null, high: null, readings: [at(1, 5, null)] })).toMatchObject({
      low: 4.4,
      high: 5.6,
    });
  });

  it("follow the hours, or the order where the hours never changed", () => {
    expect(places([{ hours: 100 }, { hours: 150 }, { hours: 300 }])).toEqual([0, 0.25, 1]);
    expect(places([{ hours: 7 }, { hours: 7 }, { hours: 7 }])).toEqual([0, 0.5, 1]);
    expect(places([{ hours: 7 }])).toEqual([0.5]);
  });
});

describe("a machine's page", () => {
  it("shows its jobs, what was done, its trends and its baseline", async () => {
    serve(record);
    expect(await screen.findByText("Does not pack")).toBeTruthy();
    expect(screen.getAllByText("Main relief")[0]).toBeTruthy();
    expect(screen.getByRole("img", { name: /162 bar at 2950 h, 186 bar at 3000 h/ })).toBeTruthy();
    expect(screen.getByText(/Specified 180 … 190 bar/)).toBeTruthy();
    expect(screen.getByText("Gauge port 186 bar")).toBeTruthy();
    expect(screen.getByText(/since then: Pump/)).toBeTruthy();
    expect(screen.getByText(/175 ± 2.1 bar/)).toBeTruthy();
    expect(screen.getByText(/177 ± 1.4 bar/)).toBeTruthy();
  });

  it("says what a baseline is where there is none yet", async () => {
    serve({ ...record, baseline: [], trends: [], jobs: [], settled: [] });
    expect(await screen.findByText(/become\s+this machine's own baseline/)).toBeTruthy();
    expect(screen.getByText("None yet.")).toBeTruthy();
  });

  it("keeps hours that are a number, and asks for one otherwise", async () => {
    serve(record);
    const hours = await screen.findByLabelText("Hours");
    const keep = screen.getByRole("button", { name: "Keep hours and work" });
    expect((keep as HTMLButtonElement).disabled).toBe(true);
    fireEvent.change(hours, { target: { value: "many" } });
    expect(screen.getByText(/Hours are a number/)).toBeTruthy();
    expect((keep as HTMLButtonElement).disabled).toBe(true);
    fireEvent.change(hours, { target: { value: "4212,5" } });
    fireEvent.click(keep);
    await waitFor(() => expect(sent.some((s) => s.method === "PATCH")).toBe(true));
    expect(sent.find((s) => s.method === "PATCH")).toEqual({
      url: "/api/machines/3",
      method: "PATCH",
      body: { hours: 4212.5, recent_work: "" },
    });
  });
});
