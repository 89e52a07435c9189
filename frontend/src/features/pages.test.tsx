import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { MemoryRouter, Route, Routes } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Entry, Job, JobCard } from "../api/client";
import { withPending } from "../api/outbox";
import { makeOutbox, OutboxContext } from "../api/queries";
import { ComplaintPage } from "./complaint/ComplaintPage";
import { JobPage } from "./job/JobPage";
import { JobsPage } from "./jobs/JobsPage";
import { Strip } from "./reading/Strip";
import { RecordPanel } from "./record/RecordPanel";

// Nothing is laid out here: the worker never answers.
vi.mock("elkjs/lib/elk-worker.min.js?worker", () => ({
  default: class {
    postMessage() {}
  },
}));

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
  in_order: null,
  proof: null,
};

const behaviour: Entry = {
  id: "22222222-2222-2222-2222-222222222222",
  sequence: 1,
  data: {
    kind: "behaviour",
    id: "b",
    function: "blade",
    move: "out",
    how: "weak",
    also: [],
    when: "warm",
    against: "itself",
  },
  words: "Blade out: weak",
  looked: false,
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
  in_order: null,
  circuit_changed: false,
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
  warmth_weighed: false,
  curve_of: {},
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
  left_out: [],
  plan: { enough: false, expected_cost: 0, next_steps: [], repairs: [] },
};

const known = { question: "q", diagnosis, pending: [], trouble: null };

interface Sent {
  url: string;
  key: string | null;
  body: { data: Record<string, unknown>; supersedes: string | null };
}

let sent: Sent[] = [];
let failures = 0;
let pending = false;
let unknown: Record<string, unknown> | null = null;
let refused = "";
let differing = "";
let warmthWeighed = false;

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
    const id = `new-${sent.length}`;
    if (path === "/api/jobs") return json(job, 201);
    if (path === "/api/jobs/bundle") {
      if (refused) return json({ detail: refused, problems: [] }, 422);
      if (differing && !request.url.includes("keep_mine=true"))
        return json({ type: "urn:umweg:machine_differs", detail: differing, problems: [] }, 409);
      return json({ jobs: [card.id, "22222222-0000-0000-0000-000000000000"] }, 201);
    }
    return json({ entry: { ...behaviour, id, data: sent.at(-1)?.body.data }, answer: known }, 201);
  }
  if (path === "/api/jobs")
    return json({
      jobs: [pending ? { ...card, pending, leader: null, next: null } : card],
      total: 1,
      offset: 0,
    });
  if (path === "/api/workshop") return json(workshop);
  if (path === "/api/queue") return json([]);
  if (path.endsWith("/diagnosis")) return json(unknown ?? known);
  if (path.endsWith("/schematic")) return json({ ...schematic, warmth_weighed: warmthWeighed });
  if (path.startsWith("/api/jobs/")) return json(job);
  return json({ detail: "there is nothing here", problems: [] }, 404);
}

beforeEach(() => {
  sent = [];
  failures = 0;
  unknown = null;
  refused = "";
  differing = "";
  warmthWeighed = false;
  localStorage.clear();
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
      <OutboxContext value={makeOutbox(queries)}>
        <MemoryRouter initialEntries={[path]}>
          <Routes>
            <Route path="/" element={<JobsPage />} />
            <Route path="/jobs/:jobId" element={<JobPage />} />
            <Route path="/jobs/:jobId/complaint" element={<ComplaintPage />} />
          </Routes>
        </MemoryRouter>
      </OutboxContext>
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

describe("JobsPage opening a job", () => {
  it("stands above the list, which grows under the finger as answers come", async () => {
    show("/");
    const card = await screen.findByText("Blade stalls");
    const place = card.compareDocumentPosition(screen.getByLabelText("Machine"));
    expect(place & Node.DOCUMENT_POSITION_PRECEDING).toBeTruthy();
  });

  it("opens one job however often it is clicked, and the same after a lost answer", async () => {
    failures = 1;
    show("/");
    const words = await screen.findByLabelText("Complaint in the customer's words");
    fireEvent.change(words, { target: { value: "It does not pack" } });
    const open = screen.getByRole("button", { name: "Open" });
    fireEvent.click(open);
    fireEvent.click(open);
    expect((await screen.findByRole("alert")).textContent).toContain("Nothing was lost");
    expect(sent).toHaveLength(1);
    fireEvent.click(open);
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[1]?.key).toBe(sent[0]?.key);
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

describe("JobsPage reading jobs in", () => {
  const choose = async (text: string) => {
    show("/");
    const input = await screen.findByLabelText("File with jobs");
    fireEvent.change(input, { target: { files: [new File([text], "jobs.json")] } });
  };

  it("sends the file as it is, and says how many jobs are there", async () => {
    await choose('{"format": "umweg-bundle/1", "circuits": [], "jobs": []}');
    expect(await screen.findByText("2 jobs are in the list.")).toBeTruthy();
    expect(sent.map((s) => s.url)).toEqual(["/api/jobs/bundle"]);
    expect(sent[0]?.body).toEqual({ format: "umweg-bundle/1", circuits: [], jobs: [] });
  });

  it("says what is no file of ours, and sends nothing", async () => {
    await choose("pump;relief\n");
    expect((await screen.findByRole("alert")).textContent).toContain(
      "jobs.json is no file of ours",
    );
    expect(sent).toEqual([]);
  });

  it("shows what differs of a machine, and reads in once somebody says that it stays", async () => {
    differing = "its owner is “Kern” here and “Kern & Sons” in the file";
    await choose('{"format": "umweg-bundle/1", "circuits": [], "jobs": []}');
    expect((await screen.findByRole("alert")).textContent).toContain(differing);
    expect(screen.queryByText(/in the list\.$/)).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: /my machines stay as they are/ }));
    expect(await screen.findByText("2 jobs are in the list.")).toBeTruthy();
    expect(screen.queryByRole("alert")).toBeNull();
  });

  it("passes on why a file was refused, and claims nothing", async () => {
    refused = "the bundle refers to what is not in it";
    await choose("{}");
    expect((await screen.findByRole("alert")).textContent).toContain(refused);
    expect(screen.queryByText(/in the list\.$/)).toBeNull();
  });
});

describe("ComplaintPage about heat", () => {
  it("asks how warm the oil gets only where it can be weighed", async () => {
    show(`/jobs/${card.id}/complaint`);
    await screen.findByRole("button", { name: "Slow" });
    expect(screen.queryByRole("button", { name: "Hotter than it did" })).toBeNull();
  });

  it("keeps the answer, and a second tap of it changes nothing", async () => {
    warmthWeighed = true;
    show(`/jobs/${card.id}/complaint`);
    const hotter = await screen.findByRole("button", { name: "Hotter than it did" });
    fireEvent.click(hotter);
    expect(hotter.getAttribute("aria-pressed")).toBe("true");
    fireEvent.click(hotter);
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]?.body.data).toEqual({ kind: "warmth", id: "new", warmth: "hotter" });
    fireEvent.click(screen.getByRole("button", { name: "As warm as ever" }));
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[1]?.body.supersedes).toBe("new-1");
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
    expect(sent[0]?.body.data).toMatchObject({
      how: "weak",
      also: ["slow"],
      when: "warm",
      against: "itself",
      function: "blade",
    });
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

  it("shows a tap at once, and sends it again with the same key when the answer is lost", async () => {
    failures = 1;
    show(`/jobs/${card.id}/complaint`);
    const slow = await screen.findByRole("button", { name: "Slow" });
    fireEvent.click(slow);
    expect(slow.getAttribute("aria-pressed")).toBe("true");
    expect(slow).toHaveProperty("disabled", false);
    expect((await screen.findByRole("status")).textContent).toContain("not kept on the server yet");
    await waitFor(() => expect(sent).toHaveLength(2), { timeout: 4000 });
    expect(sent[0]?.key).toBeTruthy();
    expect(sent[1]?.key).toBe(sent[0]?.key);
    await waitFor(() => expect(screen.queryByRole("status")).toBeNull());
  });

  it("lets a second word correct the first one while that is still on its way", async () => {
    show(`/jobs/${card.id}/complaint`);
    fireEvent.click(await screen.findByRole("button", { name: "Slow" }));
    fireEvent.click(screen.getByRole("button", { name: "Dead" }));
    expect(screen.getByRole("button", { name: "Dead" }).getAttribute("aria-pressed")).toBe("true");
    expect(screen.getByRole("button", { name: "Slow" }).getAttribute("aria-pressed")).toBe("false");
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(sent.map((s) => s.body.data.how)).toEqual(["weak", "dead"]);
    expect(sent[1]?.body.supersedes).toBe("new-1");
  });
});

describe("JobPage without an answer", () => {
  it("still shows the record and offers to withdraw what does not fit", async () => {
    unknown = { question: "q", diagnosis: null, pending: [], trouble: "a fault of the program" };
    show(`/jobs/${card.id}`);
    expect((await screen.findByRole("alert")).textContent).toContain("a fault of the program");
    fireEvent.mouseDown(screen.getByRole("tab", { name: /Record/ }), { button: 0 });
    fireEvent.click((await screen.findAllByRole("button", { name: "Withdraw" }))[1] as HTMLElement);
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]?.body).toMatchObject({ data: { kind: "withdrawal" }, supersedes: reading.id });
  });
});

describe("JobPage while it is read", () => {
  it("keeps the place of what stands beside the links to its parts", async () => {
    show(`/jobs/${card.id}`);
    const record = screen.getByText("Its record");
    expect(record.className).toContain("invisible");
    await waitFor(() => expect(record.className).not.toContain("invisible"));
    expect(record.getAttribute("href")).toMatch(/^\/machines\/\d+$/);
  });
});

describe("RecordPanel", () => {
  it("keeps the verdict of a reading that is accepted with a reason", () => {
    const added: unknown[] = [];
    const panel = (entries: Entry[]) => (
      <QueryClientProvider client={new QueryClient()}>
        <RecordPanel
          job={{ ...job, entries }}
          entries={withPending(entries, [])}
          suspects={[]}
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
          job={job}
          entries={withPending([{ ...behaviour, standing: false }], [])}
          suspects={[]}
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
