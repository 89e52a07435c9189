import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Entry, EntryData, Job, Proof, Schematic, Workshop } from "../api/client";
import { Report, standing } from "./report/ReportPage";

afterEach(cleanup);

const entry = (id: string, data: EntryData, more: Partial<Entry> = {}): Entry => ({
  id,
  sequence: Number(id),
  data,
  words: `Words of ${id}`,
  looked: false,
  supersedes: null,
  standing: true,
  value_base: null,
  unit_base: null,
  verdict: null,
  author: "",
  created_at: "2026-03-04T10:00:00Z",
  ...more,
});

const reading: EntryData = {
  kind: "reading",
  id: "new",
  point: "gauge",
  quantity: "pressure_bar",
  state: "stalled",
  value: 133,
  unit: "bar",
};

const job = {
  id: "j",
  machine: { name: "Kessa R18", owner: "Stadtbetrieb", serial: "R18", hours: 6240 },
  complaint: "Blade stalls.",
  created_at: "2026-03-04T10:00:00Z",
  entries: [
    entry("1", {
      kind: "behaviour",
      id: "b",
      function: "blade",
      move: "out",
      how: "weak",
      also: [],
      when: "warm",
      against: "itself",
    }),
    entry("2", reading, {
      value_base: 133.1,
      unit_base: "bar",
      verdict: { word: "low", low: 178, high: 190, source: "sheet" },
    }),
    entry("3", reading, { standing: false, words: "Taken back" }),
    entry("4", { kind: "acceptance", reading: "2", reason: "old machine" }),
  ],
  in_order: null,
  decision: {
    kind: "decision",
    component: "relief",
    mode: "set_low",
    share: 0.97,
    action: "Set it.",
  },
} as unknown as Job;
const workshop = { name: "Werkstatt Ostkai" } as Workshop;
const schematic = {
  parts: [{ id: "relief", label: "Port relief", location: "left of the block" }],
} as unknown as Schematic;

describe("the report", () => {
  it("tells the customer finding, readings and what was accepted, and no odds", () => {
    const { container } = render(
      <Report proof={null} job={job} workshop={workshop} schematic={schematic} full={false} />,
    );
    expect(screen.getByText("Port relief")).toBeTruthy();
    expect(screen.getByText(/178 … 190 bar/)).toBeTruthy();
    expect(screen.getByText("Accepted: old machine")).toBeTruthy();
    expect(container.textContent).not.toContain("97");
    expect(container.textContent).not.toContain("Taken back");
  });

  it("lists what was looked for, of whatever kind, and nothing else among it", () => {
    const look: EntryData = {
      kind: "hand_ear",
      id: "h",
      component: "relief",
      state: "stalled",
      noticed: "hiss",
    };
    const looked = {
      ...job,
      entries: [...job.entries, entry("5", look, { looked: true, words: "Relief: it hisses" })],
    } as unknown as Job;
    render(
      <Report proof={null} job={looked} workshop={workshop} schematic={schematic} full={false} />,
    );
    const seen = screen.getByText("Relief: it hisses").closest("section");
    expect(seen?.textContent).not.toContain("Words of 1");
    expect(seen?.textContent).not.toContain("Words of 2");
  });

  it("shows what was done, what was read before and after it, and what remains", () => {
    const repaired = {
      ...job,
      entries: [
        job.entries[0],
        { ...job.entries[1], words: "Gauge port 133.1, 132 bar — Held at its stop" },
        entry("5", { kind: "repair", component: "relief", mode: "set_low", text: "Set it." }),
        entry("6", reading, {
          value_base: 184,
          unit_base: "bar",
          verdict: { word: "pass", low: 178, high: 190, source: "sheet" },
        }),
        entry("7", { ...reading, point: "other" } as EntryData, {
          words: "Other port — held",
          value_base: 9,
          unit_base: "bar",
          verdict: { word: "high", low: null, high: 5, source: "sheet" },
        }),
      ],
    } as unknown as Job;
    render(
      <Report proof={null} job={repaired} workshop={workshop} schematic={schematic} full={false} />,
    );
    const done = screen.getByRole("heading", { name: "Done" }).parentElement;
    expect(done?.textContent).toContain("Repaired, not proved");
    expect(done?.textContent).toContain("133 bar");
    expect(done?.textContent).toContain("184 bar");
    expect(done?.textContent).toContain("Gauge port — Held at its stop");
    const left = screen.getByRole("heading", { name: "What remains" }).parentElement;
    expect(left?.textContent).toContain("Other port — held: outside its specification");
  });

  it("says proved only where the record says it, and else what is still to be shown", () => {
    const entries = [
      job.entries[0],
      entry("5", { kind: "repair", component: "relief", mode: "set_low", text: "Set it." }),
    ];
    const decision = {
      kind: "decision",
      component: "relief",
      mode: "set_low",
      share: 1,
      action: "",
    };
    const repaired = { ...job, entries, decision } as unknown as Job;
    const asked: Proof["asked"][number] = {
      before: "1",
      words: "Blade out: slow",
      why: "complaint",
      after: null,
      shown: "open",
      answers: [],
    };
    const all = { words: "Said", asked: [asked], against: [] };
    const page = (word: "open" | "proved") => (
      <Report
        proof={{ ...all, word }}
        job={repaired}
        workshop={workshop}
        schematic={schematic}
        full={false}
      />
    );
    render(page("open"));
    expect(screen.getByText("Blade out: slow: to be shown again")).toBeTruthy();
    expect(screen.queryByText("Done and proved")).toBeNull();
    cleanup();
    render(page("proved"));
    expect(screen.getByRole("heading", { name: "Done and proved" })).toBeTruthy();
    expect(screen.queryByText("Blade out: slow: to be shown again")).toBeNull();
  });

  it("shows the shop everything, the corrected entries too", () => {
    render(<Report proof={null} job={job} workshop={workshop} schematic={schematic} full />);
    expect(screen.getByText("Taken back").className).toContain("line-through");
  });

  it("says so where the cause is not isolated", () => {
    render(
      <Report
        proof={null}
        job={{ ...job, decision: null }}
        workshop={workshop}
        schematic={schematic}
        full
      />,
    );
    expect(screen.getByText(/not isolated yet/)).toBeTruthy();
    expect(standing(job, "reading").map((e) => e.id)).toEqual(["2"]);
  });
});
