import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import { MemoryRouter, Route, Routes } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { MachinePage } from "./machine/MachinePage";

const TYPES = [
  {
    name: "cylinder",
    label: "Cylinder",
    summary: "Double-acting.",
    ports: ["A", "B"],
    optional: [],
    parameters: [{ name: "bore_mm", unit: "mm", description: "piston", default: 80 }],
  },
];
const SOUND = { findings: [], parts: 1, schematic: null };
const DRAFT = {
  pending: false,
  trouble: null,
  notes: ["9 states drafted"],
  functions: [{ id: "ram", label: "Ram", moves: [{ id: "out", label: "out" }] }],
  states: [
    { id: "idle", label: "Idle", nets: {} },
    { id: "out", label: "Ram out", nets: { a: { value: 90, unit: "bar" } } },
  ],
  points: ["Gauge"],
  odd: [{ component: "ram", words: "“Ram” would move at 4,000 mm/s: is its bore right?" }],
};

/** A server that notes what it is sent. */
function serve(answers: Record<string, unknown>) {
  const sent: [string, unknown][] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    const body = request.method !== "GET" ? await request.clone().json() : null;
    sent.push([path, body]);
    const found = answers[path];
    const answer = await (typeof found === "function" ? found(body) : found);
    return new Response(JSON.stringify(answer), {
      status: path === "/api/machines" ? 201 : 200,
      headers: { "content-type": "application/json" },
    });
  });
  return sent;
}

function show() {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={["/machines/new"]}>
        <Routes>
          <Route path="/" element={<p>All jobs</p>} />
          <Route path="/machines/new" element={<MachinePage />} />
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  );
  return screen.getByLabelText<HTMLTextAreaElement>("Parts and joins");
}

describe("a new machine", () => {
  beforeEach(() => localStorage.clear());
  afterEach(() => {
    cleanup();
    vi.unstubAllGlobals();
  });

  it("begins with a bill of parts that is opened", async () => {
    const text = 'gear_pump fixed_pump "Gear pump" inlet=? outlet=? shaft=?\n';
    const sent = serve({
      "/api/types": TYPES,
      "/api/circuits": [],
      "/api/listings/bill": { text, parts: 1, findings: [] },
      "/api/listings/check": SOUND,
    });
    const area = show();
    const table = new File(["name\nGear pump\n"], "bill.csv", { type: "text/csv" });
    fireEvent.change(screen.getByLabelText(/bill of parts/), { target: { files: [table] } });
    await waitFor(() => expect(area.value).toContain(text.trim()));
    expect(area.value).toMatch(/^machine "New machine"/);
    expect(sent).toContainEqual(["/api/listings/bill", { text: "name\nGear pump\n" }]);
  });

  it("names what is wrong by its line and lets nothing be worked out before it is mended", async () => {
    const wrong = { line: 2, where: "line 2", message: "no such type", hint: "did you mean x?" };
    serve({
      "/api/types": TYPES,
      "/api/circuits": [],
      "/api/listings/check": { ...SOUND, findings: [wrong] },
    });
    const list = show();
    fireEvent.change(list, { target: { value: "a cylinder\nb cylindr\n" } });
    const found = await screen.findByRole("button", { name: /Line 2 no such type/ });
    expect(screen.getByRole("button", { name: "Find its functions and states" })).toHaveProperty(
      "disabled",
      true,
    );
    fireEvent.click(found);
    expect(list.value.slice(list.selectionStart, list.selectionEnd)).toBe("b cylindr");
  });

  it("adds a part by a few letters, and a number of the part under the cursor", async () => {
    serve({
      "/api/types": TYPES,
      "/api/types/found": { names: ["relief_valve", "cylinder"], nearest: true },
      "/api/circuits": [],
      "/api/listings/check": SOUND,
    });
    const list = show();
    fireEvent.change(screen.getByLabelText("Add a part"), { target: { value: "cylinderr" } });
    await screen.findByText(/Nothing is called “cylinderr” here/);
    fireEvent.click(await screen.findByRole("button", { name: /Cylinder/ }));
    expect(list.value).toBe("cylinder cylinder A=? B=?\n");
    const help = await screen.findByRole("region", { name: "This part" });
    fireEvent.click(within(help).getByRole("button", { name: /bore_mm/ }));
    expect(list.value).toBe("cylinder cylinder A=? B=? bore_mm=80\n");
  });

  it("begins with a machine that is much the same, and says so when it is worked out", async () => {
    localStorage.setItem("umweg-listing-1", "ram cylinder A=a B=b");
    localStorage.setItem("umweg-listing-beside-1", "tail_lift");
    const sent = serve({
      "/api/types": TYPES,
      "/api/listings/check": SOUND,
      "/api/listings/draft": DRAFT,
    });
    show();
    const find = screen.getByRole("button", { name: "Find its functions and states" });
    await waitFor(() => expect(find).toHaveProperty("disabled", false));
    fireEvent.click(find);
    await screen.findByText("9 states drafted");
    // What has numbers can be shown on the map; what is odd leads to its line.
    const shown = screen.getByLabelText<HTMLSelectElement>("Map in state");
    expect(shown.textContent).toContain("Ram out");
    expect(shown.textContent).not.toContain("Idle");
    const list = screen.getByLabelText<HTMLTextAreaElement>("Parts and joins");
    fireEvent.click(screen.getByRole("button", { name: "to its line" }));
    expect(list.selectionEnd - list.selectionStart).toBe("ram cylinder A=a B=b".length);
    const [, body] = sent.find(([path]) => path === "/api/listings/draft") ?? [];
    expect(body).toEqual({ text: "ram cylinder A=a B=b", beside: "tail_lift" });
  });

  it("keeps what was typed when the page is closed", () => {
    serve({ "/api/types": TYPES, "/api/circuits": [], "/api/listings/check": SOUND });
    fireEvent.change(show(), { target: { value: "tank reservoir" } });
    cleanup();
    expect(show().value).toBe("tank reservoir");
  });

  it("asks until the draft is there, then saves the machine with its list", async () => {
    let asked = 0;
    const sent = serve({
      "/api/types": TYPES,
      "/api/circuits": [],
      "/api/listings/check": SOUND,
      "/api/listings/draft": () => {
        asked += 1;
        return asked > 1 ? DRAFT : { ...DRAFT, pending: true, notes: [] };
      },
      "/api/machines": { id: 7 },
    });
    fireEvent.change(show(), { target: { value: "ram cylinder A=a B=b" } });
    const find = screen.getByRole("button", { name: "Find its functions and states" });
    await waitFor(() => expect(find).toHaveProperty("disabled", false));
    fireEvent.click(find);
    await screen.findByText("9 states drafted", undefined, { timeout: 4000 });
    expect(asked).toBeGreaterThan(1);
    const save = screen.getByRole("button", { name: "Save the machine" });
    expect(save).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByLabelText("Machine"), { target: { value: "Splitter" } });
    fireEvent.change(screen.getByLabelText("Serial number"), { target: { value: "S-1" } });
    fireEvent.click(save);
    await screen.findByText("All jobs");
    const [, body] = sent.find(([path]) => path === "/api/machines") ?? [];
    expect(body).toMatchObject({
      name: "Splitter",
      serial: "S-1",
      listing: "ram cylinder A=a B=b",
    });
    expect(body).toMatchObject({ beside: null });
    expect(localStorage.getItem("umweg-listing-1")).toBeNull();
  });
});

describe("the part under the cursor", () => {
  beforeEach(() => localStorage.clear());
  afterEach(() => {
    cleanup();
    vi.unstubAllGlobals();
  });
  const FILTER = {
    name: "pressure_filter",
    label: "Pressure filter",
    summary: "Holds dirt.",
    ports: ["inlet", "outlet"],
    optional: [],
    parameters: [],
  };

  it("is joined to what such ports are joined to, and the next open port is at hand", async () => {
    const open = [
      { line: 1, component: "ram", port: "A", nets: ["cap", "ring"] },
      { line: 1, component: "ram", port: "B", nets: [] },
    ];
    serve({
      "/api/types": [...TYPES, FILTER],
      "/api/circuits": [],
      "/api/listings/check": { ...SOUND, open_ports: open },
    });
    const list = show();
    fireEvent.change(list, { target: { value: "ram cylinder A=? B=?" } });
    fireEvent.click(await screen.findByRole("button", { name: "cap" }));
    expect(list.value).toBe("ram cylinder A=cap B=?");
    // At once: keys struck right after the tap fall where they belong.
    expect(list.selectionStart).toBe(21);
    const joins = screen.getByRole("list", { name: "Joins" });
    fireEvent.click(within(joins).getByRole("button", { name: /a new net ram_b/ }));
    expect(list.value).toBe("ram cylinder A=cap B=ram_b");
    fireEvent.click(screen.getByRole("button", { name: "Take the last change back" }));
    expect(list.value).toBe("ram cylinder A=cap B=?");
    fireEvent.keyDown(list, { key: "y", ctrlKey: true });
    expect(list.value).toBe("ram cylinder A=cap B=ram_b");
  });

  it("is added to what was typed while it was looked for", async () => {
    let answer = () => {};
    const found = new Promise<object>((known) => {
      answer = () => known({ names: ["pressure_filter"], nearest: false });
    });
    serve({
      "/api/types": [...TYPES, FILTER],
      "/api/types/found": () => found,
      "/api/circuits": [],
      "/api/listings/check": SOUND,
    });
    const list = show();
    const field = await screen.findByLabelText("Add a part");
    await waitFor(() => expect(screen.queryByText(/Begin with an example/)).toBeTruthy());
    fireEvent.change(field, { target: { value: "filter" } });
    // The key breaks no line of the list that is typed into next.
    expect(fireEvent.keyDown(field, { key: "Enter" })).toBe(false);
    fireEvent.change(list, { target: { value: "ram cylinder A=a B=b\n" } });
    answer();
    await waitFor(() => expect(list.value).toContain("filter pressure_filter"));
    expect(list.value).toContain("ram cylinder A=a B=b\n");
  });

  it("has a part put into its line, another type, another name, and is written once more", async () => {
    serve({
      "/api/types": [...TYPES, FILTER],
      "/api/types/found": { names: ["pressure_filter"], nearest: false },
      "/api/circuits": [],
      "/api/listings/check": SOUND,
    });
    const list = show();
    fireEvent.change(list, { target: { value: "ram cylinder A=a B=b bore_mm=90" } });
    fireEvent.click(await screen.findByRole("button", { name: "Put a part into the line to A" }));
    const field = await screen.findByLabelText("Into the line to ram, A: type what it is");
    fireEvent.change(field, { target: { value: "filter" } });
    fireEvent.keyDown(field, { key: "Enter" });
    await waitFor(() =>
      expect(list.value).toBe(
        "filter pressure_filter inlet=a outlet=filter_outlet\nram cylinder A=filter_outlet B=b bore_mm=90",
      ),
    );
    list.setSelectionRange(60, 60);
    fireEvent.select(list);
    fireEvent.click(await screen.findByRole("button", { name: "Rename" }));
    const name = screen.getByLabelText("New name of ram");
    fireEvent.change(name, { target: { value: "Lifter" } });
    fireEvent.keyDown(name, { key: "Enter" });
    expect(list.value).toContain("\nlifter cylinder");
    list.setSelectionRange(60, 60);
    fireEvent.select(list);
    fireEvent.click(await screen.findByRole("button", { name: "Once more" }));
    expect(list.value).toContain("\nlifter_2 cylinder A=filter_outlet");
    fireEvent.click(await screen.findByRole("button", { name: "Another type" }));
    const other = await screen.findByLabelText(/In the place of/);
    fireEvent.change(other, { target: { value: "filter" } });
    fireEvent.keyDown(other, { key: "Enter" });
    await waitFor(() => expect(list.value).toContain("pressure_filter inlet=? outlet=?"));
  });
});

describe("the circuit of a machine that is there", () => {
  beforeEach(() => localStorage.clear());
  afterEach(() => {
    cleanup();
    vi.unstubAllGlobals();
  });

  it("begins with what it has, and is kept for it", async () => {
    const machines = [{ id: 7, name: "Packer 7", circuit_id: "own_packer" }];
    const sent = serve({
      "/api/types": TYPES,
      "/api/workshop": { name: "Shop", machines },
      "/api/listings/own_packer": { text: "ram cylinder A=a B=b", beside: "own_packer" },
      "/api/listings/check": SOUND,
      "/api/listings/draft": DRAFT,
      "/api/machines/7/circuit": machines[0],
    });
    localStorage.setItem("umweg-listing-1", "what is typed of a new machine");
    const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
    render(
      <QueryClientProvider client={queries}>
        <MemoryRouter initialEntries={["/machines/new?machine=7"]}>
          <Routes>
            <Route path="/machines/new" element={<MachinePage />} />
            <Route path="/machines/7" element={<p>Its record</p>} />
          </Routes>
        </MemoryRouter>
      </QueryClientProvider>,
    );
    const list = screen.getByLabelText<HTMLTextAreaElement>("Parts and joins");
    await waitFor(() => expect(list.value).toBe("ram cylinder A=a B=b"));
    screen.getByRole("heading", { name: "Circuit of Packer 7" });
    fireEvent.change(list, { target: { value: "ram cylinder A=a B=b bore_mm=70" } });
    const find = screen.getByRole("button", { name: "Find its functions and states" });
    await waitFor(() => expect(find).toHaveProperty("disabled", false));
    fireEvent.click(find);
    fireEvent.click(await screen.findByRole("button", { name: "Keep this circuit for Packer 7" }));
    await screen.findByText("Its record");
    const [, body] = sent.find(([path]) => path === "/api/machines/7/circuit") ?? [];
    expect(body).toEqual({ text: "ram cylinder A=a B=b bore_mm=70", beside: "own_packer" });
    expect(localStorage.getItem("umweg-listing-1")).toBe("what is typed of a new machine");
    expect(localStorage.getItem("umweg-listing-1/7")).toBeNull();
  });
});
