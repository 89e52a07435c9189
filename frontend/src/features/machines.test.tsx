import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter, Route, Routes } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Change, Fleet, Machine, Schemas, Trend } from "../api/client";
import { FleetPage } from "./history/FleetPage";
import { CircuitChanged } from "./job/CircuitChanged";
import { MachinesPage } from "./machine/MachinesPage";
import { Experience } from "./shop/Experience";

const machine = (id: number, serial: string, circuit_id = "packer"): Machine => ({
  id,
  name: `Packer ${id}`,
  owner: "City",
  serial,
  hours: 1000 * id,
  recent_work: "",
  circuit_id,
});

const sent: { method: string; path: string; body: unknown }[] = [];

function serve(answers: Record<string, unknown>, status = 200) {
  sent.length = 0;
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    const text = request.method === "GET" ? "" : await request.text();
    sent.push({ method: request.method, path, body: text ? JSON.parse(text) : null });
    const found = answers[`${request.method} ${path}`] ?? answers[path];
    if (request.method === "DELETE") return new Response(null, { status: 204 });
    return new Response(JSON.stringify(found), {
      status: request.method === "GET" ? 200 : status,
      headers: { "content-type": "application/json" },
    });
  });
}

function show(page: ReactNode, at = "/") {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={[at]}>
        <Routes>
          <Route path="/fleets/:circuitId" element={page} />
          <Route path="*" element={page} />
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("all machines", () => {
  const answers = {
    "/api/workshop": {
      name: "Shop",
      machines: [machine(1, "R1"), machine(2, "R2"), machine(3, "L1", "lift")],
    },
    "/api/circuits": [
      { id: "packer", name: "Refuse packer", machine_kind: "", family: [] },
      { id: "lift", name: "Tail lift", machine_kind: "", family: [] },
    ],
  };

  it("stand by their circuits; those that share one can be seen side by side", async () => {
    serve(answers);
    show(<MachinesPage />);
    await screen.findByRole("heading", { name: "Refuse packer" });
    const beside = screen.getAllByRole("link", { name: /side by side/ });
    expect(beside).toHaveLength(1);
    expect(beside[0]?.getAttribute("href")).toBe("/fleets/packer");
    fireEvent.change(screen.getByLabelText("Search the machines"), { target: { value: "tail" } });
    expect(screen.queryByText("Packer 1")).toBeNull();
    screen.getByText("Packer 3");
  });

  it("come from a table, and a bad one says which row", async () => {
    serve({ ...answers, "POST /api/machines/list": { machines: [machine(4, "R4")] } }, 201);
    show(<MachinesPage />);
    const table = new File(["name;serial;circuit\nA;1;packer\n"], "machines.csv");
    fireEvent.change(await screen.findByLabelText("Table of machines"), {
      target: { files: [table] },
    });
    await screen.findByText("1 machine is in the list.");
    expect(sent.find((s) => s.method === "POST")?.body).toEqual({
      text: "name;serial;circuit\nA;1;packer\n",
    });
    cleanup();
    const wrong = { detail: "1 thing to mend", problems: ["row 2: there is no circuit “x”"] };
    serve({ ...answers, "POST /api/machines/list": wrong }, 422);
    show(<MachinesPage />);
    fireEvent.change(await screen.findByLabelText("Table of machines"), {
      target: { files: [table] },
    });
    await screen.findByText(/row 2: there is no circuit/);
  });
});

describe("machines side by side", () => {
  const reading = (id: number, hours: number, value: number): Trend["readings"][number] => ({
    job: "11111111-1111-1111-1111-111111111111",
    entry: `22222222-2222-2222-2222-${String(hours).padStart(12, "0")}`,
    read_at: "2026-01-01T00:00:00Z",
    hours,
    value,
    verdict: "pass",
    after_repair: false,
    machine_id: id,
    machine: `Packer ${id}, R${id}`,
  });
  const fleet: Fleet = {
    circuit_id: "packer",
    circuit_name: "Refuse packer",
    machines: [
      { machine: machine(1, "R1"), jobs: 2 },
      { machine: machine(2, "R2"), jobs: 1 },
    ],
    finds: [
      {
        component: "pump",
        part: "Gear pump",
        fault: "worn",
        found: 3,
        machines: 2,
        hours: [900, 1800, 2100],
      },
    ],
    trends: [
      {
        quantity: "pressure_bar",
        unit: "bar",
        place: "gauge",
        place_label: "Gauge port",
        state: "stalled",
        state_label: "Blade held",
        low: 180,
        high: 190,
        source: "Manual",
        readings: [reading(1, 900, 184), reading(2, 1000, 186), reading(1, 1800, 183)],
      },
    ],
  };

  it("shows what was found on how many, and a line for each machine", async () => {
    serve({ "/api/fleets/packer": fleet });
    show(<FleetPage />, "/fleets/packer");
    const row = (await screen.findByText("Gear pump")).closest("tr") as HTMLElement;
    within(row).getByText("2 of 2");
    within(row).getByText("900, 1,800, 2,100");
    const lines = document.querySelectorAll("polyline");
    expect(lines).toHaveLength(2);
    expect(lines[0]?.getAttribute("points")?.split(" ")).toHaveLength(2);
    // Named at the end of its line, and beside its reading.
    expect(screen.getAllByText("Packer 2, R2")).toHaveLength(2);
  });
});

describe("what the shop found", () => {
  const counted: Schemas["ExperienceView"] = {
    jobs: 4,
    pending: 0,
    taken_at: null,
    taken_jobs: 0,
    lines: [
      {
        type: "fixed_pump",
        mode: "worn",
        part: "Fixed pump",
        fault: "worn",
        found: 3,
        expected: 0.8,
        factor: 1.58,
        in_use: 1,
      },
    ],
  };

  it("is believed only when somebody takes it over, and can be left again", async () => {
    serve({ "/api/workshop/experience": counted });
    show(<Experience />);
    const row = (await screen.findByText("Fixed pump")).closest("tr") as HTMLElement;
    within(row).getByText("0.8");
    within(row).getByText("× 1.6");
    expect(screen.queryByText("In use")).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Believe by these counts" }));
    await waitFor(() => expect(sent.some((s) => s.method === "POST")).toBe(true));
    cleanup();
    const taken = { ...counted, taken_at: "2026-03-01T00:00:00Z", taken_jobs: 3 };
    serve({ "/api/workshop/experience": taken });
    show(<Experience />);
    await screen.findByText(/Taken over on 01\/03\/2026 from 3 proved jobs; now there are 4/);
    fireEvent.click(screen.getByRole("button", { name: "Back to the library's rates" }));
    await waitFor(() => expect(sent.some((s) => s.method === "DELETE")).toBe(true));
  });

  it("cannot be taken over while some of it is not counted", async () => {
    serve({ "/api/workshop/experience": { ...counted, pending: 2 } });
    show(<Experience />);
    await screen.findByText(/2 circuits are still being played/);
    const button = screen.getByRole("button", { name: "Believe by these counts" });
    expect(button).toHaveProperty("disabled", true);
  });
});

describe("a circuit that was changed", () => {
  const change = (id: string, words: string): Change => ({
    what: "part",
    id,
    label: id,
    how: "gone",
    field: "",
    before: "",
    after: "",
    words,
  });

  it("is listed at the job that keeps its own", async () => {
    serve({ "/api/jobs/7/changes": [change("p", "part P is new"), change("x", "part X is gone")] });
    show(<CircuitChanged job="7" />);
    await screen.findByText(/was changed since this job was opened \(2 differences\)/);
    screen.getByText("part X is gone");
  });
});
