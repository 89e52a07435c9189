import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { EntryData, Job, Proof, Schematic, Workshop } from "../api/client";
import type { ShownEntry } from "../api/outbox";
import { sinceRepair } from "./prove/epoch";
import { again, ProvePanel } from "./prove/ProvePanel";
import { remaining, repairHistory } from "./prove/proofs";

afterEach(cleanup);

const entry = (sequence: number, data: EntryData, word?: "pass" | "low"): ShownEntry => ({
  id: `e${sequence}`,
  sequence,
  data,
  words: `Words of ${sequence}`,
  looked: false,
  supersedes: null,
  standing: true,
  value_base: data.kind === "reading" ? data.value : null,
  unit_base: data.kind === "reading" ? "bar" : null,
  verdict: word ? { word, low: 178, high: 190, source: "sheet" } : null,
  author: "",
  created_at: "",
  onItsWay: false,
});
const reading = (point: string, value: number): EntryData => ({
  kind: "reading",
  id: "new",
  point,
  quantity: "pressure_bar",
  state: "stalled",
  value,
  unit: "bar",
});
const repair: EntryData = { kind: "repair", component: "relief", mode: "set_low", text: "Set it." };
const behaviour = (how: "slow" | "as_usual"): EntryData => ({
  kind: "behaviour",
  id: "b",
  function: "blade",
  move: "out",
  how,
  also: [],
  when: "warm",
  against: "itself",
});
const before = [entry(1, behaviour("slow")), entry(2, reading("m2", 133), "low")];
const job = {
  id: "j",
  in_order: null,
  decision: {
    kind: "decision",
    component: "relief",
    mode: "set_low",
    share: 0.9,
    action: "Set it.",
  },
} as unknown as Job;
const schematic = {
  test_points: [{ id: "m2", label: "Gauge port" }],
  states: [{ id: "stalled", label: "Held at the stop" }],
  curve_of: {},
  functions: [{ id: "blade", label: "Blade", moves: [{ id: "out", label: "out" }] }],
} as unknown as Schematic;

function show(entries: ShownEntry[], proof: Proof | null = null, onAdd = vi.fn()) {
  render(
    <MemoryRouter>
      <ProvePanel
        job={job}
        entries={entries}
        proof={proof}
        workshop={{ units: [], instruments: [] } as unknown as Workshop}
        schematic={schematic}
        conditions={() => ""}
        onAdd={onAdd}
        onDoubt={async () => []}
      />
    </MemoryRouter>,
  );
  return onAdd;
}

describe("proving a repair", () => {
  it("begins a new epoch: what was told before is not about the machine as it is now", () => {
    expect(sinceRepair(before)).toHaveLength(2);
    const all = [...before, entry(3, repair), entry(4, reading("m2", 184), "pass")];
    expect(sinceRepair(all).map((e) => e.sequence)).toEqual([4]);
  });

  it("tells each repair of several with what was read before and after it", () => {
    const all = [
      ...before,
      entry(3, repair),
      entry(4, reading("m2", 140), "low"),
      entry(5, repair),
      entry(6, reading("m2", 184), "pass"),
    ];
    const [first, second] = repairHistory(all);
    expect(first?.proofs[0]).toMatchObject({ before: { sequence: 2 }, after: { sequence: 4 } });
    expect(second?.proofs[0]).toMatchObject({ before: { sequence: 4 }, after: { sequence: 6 } });
  });

  it("says what remains: outside as read last, or not read again", () => {
    expect(remaining(before).map((r) => r.why)).toEqual(["outside"]);
    expect(remaining([...before, entry(3, repair)]).map((r) => r.why)).toEqual(["not read again"]);
    const still = [...before, entry(3, repair), entry(4, reading("m2", 140), "low")];
    expect(remaining(still).map((r) => [r.entry.sequence, r.why])).toEqual([[4, "outside"]]);
    const settled = entry(5, { kind: "acceptance", reading: "e4", reason: "old machine" });
    expect(remaining([...still, settled])).toEqual([]);
    expect(remaining([...before, entry(3, repair), entry(4, reading("m2", 184), "pass")])).toEqual(
      [],
    );
  });

  it("keeps the repair with the part that was decided", () => {
    const add = show(before);
    fireEvent.click(screen.getByRole("button", { name: /repair is done/ }));
    expect(add).toHaveBeenCalledWith(repair);
  });

  const asked = (more: Partial<Proof["asked"][number]>): Proof["asked"][number] => ({
    before: "e2",
    words: "Gauge port, held at the stop",
    why: "outside",
    after: null,
    shown: "open",
    answers: [],
    ...more,
  });
  const proof = (word: Proof["word"], ...all: Proof["asked"]): Proof => ({
    word,
    words: `Said: ${word}`,
    asked: all,
    against: [],
  });

  it("says what the record says, and never proved by itself", () => {
    const all = [...before, entry(3, repair), entry(4, reading("m2", 184), "pass")];
    show(all);
    expect(screen.getByRole("status").textContent).toContain("not proved");
    cleanup();
    show(all, proof("contradicted", asked({ shown: "not_sound" })));
    expect(screen.getByRole("status").textContent).toContain("Said: contradicted");
    expect(screen.getByText("not as a sound machine")).toBeTruthy();
    cleanup();
    show(all, proof("proved", asked({ after: "e4", shown: "sound" })));
    expect(screen.getByRole("status").textContent).toContain("Said: proved");
    expect(screen.getByText("as a sound machine")).toBeTruthy();
  });

  it("offers each thing again in its own way: a reading, a move, a look with its answers", () => {
    const seen: EntryData = {
      kind: "indicator",
      id: "new",
      component: "f",
      state: "s",
      tripped: false,
    };
    const look = { words: "Filter indicator: not tripped", entry: seen };
    const add = show(
      [...before, entry(3, repair)],
      proof(
        "open",
        asked({ before: "e1", why: "complaint", words: "Blade out: slow" }),
        asked({}),
        asked({ before: "e9", why: "spoke", words: "Filter indicator", answers: [look] }),
      ),
    );
    expect(screen.getByRole("link", { name: "Try it again" }).getAttribute("href")).toBe(
      "/jobs/j/complaint",
    );
    fireEvent.click(screen.getByRole("button", { name: look.words }));
    expect(add).toHaveBeenCalledWith(seen);
    fireEvent.click(screen.getByRole("button", { name: "Read again" }));
    expect(screen.getByRole("region", { name: "Reading" })).toBeTruthy();
  });

  it("reads a state that was put together on the spot again as it was", () => {
    const state = { label: "Blade out, engine 900 rpm", engine: 900 };
    const data = { ...reading("m2", 133), state } as EntryData;
    const step = again(entry(2, data) as Parameters<typeof again>[0], schematic);
    expect(step.reading?.state).toEqual(state);
    expect(step.state_label).toBe(state.label);
  });
});
