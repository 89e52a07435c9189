import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { EntryData, Job, Schematic, Workshop } from "../api/client";
import type { ShownEntry } from "../api/outbox";
import { sinceRepair } from "./prove/epoch";
import { ProvePanel } from "./prove/ProvePanel";
import { proofsOf, remaining, repairHistory, standOfProof } from "./prove/proofs";

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
  functions: [{ id: "blade", label: "Blade", moves: [{ id: "out", label: "out" }] }],
} as unknown as Schematic;

function show(entries: ShownEntry[], onAdd = vi.fn()) {
  render(
    <MemoryRouter>
      <ProvePanel
        job={job}
        entries={entries}
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

  it("asks for what failed again, and counts what was read", () => {
    const open = proofsOf([...before, entry(3, repair)]).proofs;
    expect(standOfProof(open).open).toHaveLength(1);
    const done = proofsOf([...before, entry(3, repair), entry(4, reading("m2", 184), "pass")]);
    expect(standOfProof(done.proofs)).toMatchObject({ open: [], contradicting: [] });
    expect(done.proofs[0]?.after?.sequence).toBe(4);
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
    expect(proofsOf(all)).toEqual(second);
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

  it("says when the proof contradicts the decision", () => {
    show([...before, entry(3, repair), entry(4, reading("m2", 140), "low")]);
    expect(screen.getByRole("status").textContent).toContain("contradicts the decision");
  });

  it("is proved only when every move was tried too", () => {
    const within = [...before, entry(3, repair), entry(4, reading("m2", 184), "pass")];
    show(within);
    expect(screen.getByRole("status").textContent).toContain("0 of 1 moves were tried");
    cleanup();
    show([...within, entry(5, behaviour("as_usual"))]);
    expect(screen.getByRole("status").textContent).toContain("Proved.");
  });
});
