import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { MemoryRouter, Route, Routes } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Entry, Job, JobCard } from "../api/client";
import { ComplaintPage } from "./complaint/ComplaintPage";
import { JobsPage } from "./jobs/JobsPage";
import { Strip } from "./reading/Strip";
import { RecordPanel } from "./record/RecordPanel";

const machine = {
  id: 1,
  name: "Packer no. 4",
  owner: "City",
  serial: "S1",
  hours: 6240,
  recent_work: "Hoses replaced.",
  circuit_id: "c",
};

const card: JobCard = {
  id: "11111111-1111-1111-1111-111111111111",
  machine,
  complaint: "Blade stalls",
  created_at: "2026-01-01T00:00:00Z",
  observations: 3,
  leader: "Port relief: opens early",
  leader_share: 0.78,
  pending: false,
  next: "Gauge port — held at the stop",
  decision: null,
};

const behaviour: Entry = {
  id: "22222222-2222-2222-2222-222222222222",
  sequence: 1,
  data: { kind: "behaviour", id: "b", function: "blade", move: "out", how: "weak", when: "warm" },
  words: "Blade out: weak",
  supersedes: null,
  standing: true,
  value_base: null,
  unit_base: null,
  verdict: null,
  author: "",
  created_at: "2026-01-01T00:00:00Z",
};

const reading: Entry = {
  ...behaviour,
  id: "33333333-3333-3333-3333-333333333333",
  sequence: 2,
  data: {
    kind: "reading",
    id: "r",
    point: "gauge",
    quantity: "pressure_bar",
    state: "stalled",
    value: 195,
    unit: "bar",
    repeats: [],
    instrument: null,
  },
  words: "Gauge 195 bar",
  value_base: 195,
  unit_base: "bar",
  verdict: { word: "high", low: 178, high: 190, source: "manual" },
};

const job: Job = {
  id: card.id,
  machine,
  complaint: card.complaint,
  created_at: card.created_at,
  circuit_revision: 1,
  circuit_id: "c",
  revision: 1,
  entries: [behaviour, reading],
  decision: null,
};

const schematic = {
  circuit_id: "c",
  revision: 1,
  name: "C",
  fluid: "46",
  shafts: [],
  parts: [],
  test_points: [],
  states: [],
  functions: [{ id: "blade", label: "Blade", moves: [{ id: "out", label: "out" }] }],
  notes: { level: "Cylinders in." },
};

const workshop = {
  name: "Shop",
  currency: "EUR",
  labour_per_min: 1.5,
  instruments: [],
  units: [],
  machines: [machine],
};

const diagnosis = {
  suspects: [],
  other_share: 0,
  explained: true,
  two_faults_considered: false,
  enough: false,
  next_steps: [],
  repairs: [],
};

interface Sent {
  url: string;
  key: string | null;
  body: { data: Record<string, unknown>; supersedes: string | null };
}

let sent: Sent[] = [];
let failures = 0;
let pending = false;

async function answer(input: RequestInfo | URL, init?: RequestInit): Promise<Response> {
  const request = new Request(input, init);
  const path = new URL(request.url).pathname;
  const json = (body: unknown, status = 200) =>
    new Response(JSON.stringify(body), {
      status,
      headers: { "Content-Type": "application/json" },
    });
  if (request.method === "POST") {
    sent.push({
      url: path,
      key: request.headers.get("idempotency-key"),
      body: await request.json(),
    });
    if (failures > 0) {
      failures -= 1;
      throw new TypeError("network down");
    }
    return json({ entry: behaviour, diagnosis }, 201);
  }
  if (path === "/api/jobs")
    return json([pending ? { ...card, pending, leader: null, next: null } : card]);
  if (path === "/api/workshop") return json(workshop);
  if (path.endsWith("/schematic")) return json(schematic);
  if (path.startsWith("/api/jobs/")) return json(job);
  return json({ detail: "there is nothing here", problems: [] }, 404);
}

beforeEach(() => {
  sent = [];
  failures = 0;
  vi.stubGlobal("fetch", answer);
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function show(path: string) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={[path]}>
        <Routes>
          <Route path="/" element={<JobsPage />} />
          <Route path="/jobs/:jobId/complaint" element={<ComplaintPage />} />
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

describe("JobsPage", () => {
  it("says what machine, what complaint, how far, and what is next", async () => {
    show("/");
    expect(await screen.findByText("Packer no. 4")).toBeTruthy();
    expect(screen.getByText("Blade stalls")).toBeTruthy();
    expect(screen.getByText("3 observations")).toBeTruthy();
    expect(screen.getByText("78 %")).toBeTruthy();
    expect(screen.getByText(/Gauge port — held at the stop/)).toBeTruthy();
  });
});

describe("JobsPage while a diagnosis is worked out", () => {
  it("says so, and asks again until it is there", async () => {
    pending = true;
    show("/");
    expect(await screen.findByText(/Working out who it can be/)).toBeTruthy();
    expect(screen.queryByText("78 %")).toBeNull();
    pending = false;
    expect(await screen.findByText("78 %", {}, { timeout: 4000 })).toBeTruthy();
  });
});

describe("ComplaintPage", () => {
  it("shows what was told, and corrects it by superseding", async () => {
    show(`/jobs/${card.id}/complaint`);
    const weak = await screen.findByRole("button", { name: /^Weak/ });
    await waitFor(() => expect(weak.getAttribute("aria-pressed")).toBe("true"));
    expect(screen.getByText(/Hoses replaced/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Slow" }));
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]?.body.supersedes).toBe(behaviour.id);
    expect(sent[0]?.body.data).toMatchObject({ how: "slow", when: "warm", function: "blade" });
  });

  it("tells another temperature as another observation", async () => {
    show(`/jobs/${card.id}/complaint`);
    await screen.findByRole("button", { name: "Slow" });
    fireEvent.click(screen.getByRole("button", { name: "Hot oil" }));
    fireEvent.click(screen.getByRole("button", { name: "Dead" }));
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]?.body.supersedes).toBeNull();
    expect(sent[0]?.body.data).toMatchObject({ how: "dead", when: "hot" });
  });

  it("keeps the same key when a lost answer is tried again", async () => {
    failures = 1;
    show(`/jobs/${card.id}/complaint`);
    const slow = await screen.findByRole("button", { name: "Slow" });
    fireEvent.click(slow);
    expect((await screen.findByRole("alert")).textContent).toContain("Nothing was lost");
    await waitFor(() => expect(slow).toHaveProperty("disabled", false));
    fireEvent.click(slow);
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[0]?.key).toBeTruthy();
    expect(sent[1]?.key).toBe(sent[0]?.key);
  });
});

describe("RecordPanel", () => {
  it("keeps the verdict of a reading that is accepted with a reason", () => {
    const added: unknown[] = [];
    const panel = (entries: Entry[]) => (
      <QueryClientProvider client={new QueryClient()}>
        <RecordPanel
          job={{ ...job, entries }}
          suspects={[]}
          busy={false}
          onAdd={(data) => added.push(data)}
        />
      </QueryClientProvider>
    );
    const { rerender } = render(panel(job.entries));
    expect(screen.getByText(/too high/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Accept with a reason" }));
    const accept = screen.getByRole("button", { name: "Accept" });
    expect(accept).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByLabelText("Why it is accepted"), {
      target: { value: "works hard, maker agrees" },
    });
    fireEvent.click(accept);
    const acceptance = {
      kind: "acceptance" as const,
      reading: reading.id,
      reason: "works hard, maker agrees",
    };
    expect(added).toEqual([acceptance]);
    rerender(panel([...job.entries, { ...behaviour, id: "4", sequence: 3, data: acceptance }]));
    expect(screen.getByText(/too high/)).toBeTruthy();
    expect(screen.getByText("Accepted: works hard, maker agrees")).toBeTruthy();
  });

  it("strikes out what was superseded and offers nothing on it", () => {
    render(
      <QueryClientProvider client={new QueryClient()}>
        <RecordPanel
          job={{ ...job, entries: [{ ...behaviour, standing: false }] }}
          suspects={[]}
          busy={false}
          onAdd={() => {}}
        />
      </QueryClientProvider>,
    );
    expect(screen.getByText("Blade out: weak").className).toContain("line-through");
    expect(screen.queryByRole("button", { name: "Withdraw" })).toBeNull();
  });
});

describe("Strip", () => {
  const place = (selector: string) => {
    const element = document.querySelector(selector);
    return Number(element?.getAttribute("x") ?? element?.getAttribute("x1"));
  };
  it("puts the reading where its number belongs between the bands", () => {
    render(
      <Strip
        unit="bar"
        healthy={{ key: "healthy", low: 178, high: 190 }}
        specification={{ key: "s", low: 178, high: 190 }}
        rows={[{ key: "a", label: "Relief", share: 0.8, low: 100, high: 140 }]}
        value={120}
      />,
    );
    const suspect = document.querySelector("rect.fill-suspect");
    const left = Number(suspect?.getAttribute("x"));
    const right = left + Number(suspect?.getAttribute("width"));
    const line = place("line");
    expect(line).toBeGreaterThan(left);
    expect(line).toBeLessThan(right);
    expect(line).toBeCloseTo((left + right) / 2, 3);
    expect(place("rect.fill-good")).toBeGreaterThan(right);
    expect(screen.getByText("120 bar")).toBeTruthy();
  });
});
