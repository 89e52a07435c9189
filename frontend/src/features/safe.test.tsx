import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { EntryData, SafePlan, SafeStep, Schematic } from "../api/client";
import type { ShownEntry } from "../api/outbox";
import { atRest } from "./job/JobPage";
import { AskWhy, actOf, goneOn, goneOnWith, notAtZero } from "./safe/GoneOn";
import { doneSteps, lacksOf, MakeSafePanel, standOf } from "./safe/MakeSafePanel";

afterEach(cleanup);

const step = (kind: SafeStep["kind"], key: string, more: Partial<SafeStep> = {}): SafeStep => ({
  key,
  kind,
  words: `Words of ${key}`,
  function: null,
  move: null,
  point: null,
  before_bar: null,
  after_bar: null,
  state: null,
  ...more,
});

const plan: SafePlan = {
  circuit: "c",
  drive: "engine",
  lacks: [],
  asks: [{ key: "drive", words: "The engine does not run" }],
  safe: true,
  lines: [
    {
      net: "cap",
      label: "Lift port",
      points: ["lift_port"],
      healthy_bar: 95,
      worst_bar: 263,
      worst_with: "Cylinder: piston seal leaks",
      held_by: ["Lift section"],
      because: ["Lift: its load"],
      since: "",
      falls: "left alone still 80 bar after ten minutes",
    },
  ],
  levers: [
    {
      function: "lift",
      move: "lower",
      label: "Lift down",
      lowers: true,
      works_running: true,
      works_off: false,
      why_not: "no pilot oil with the engine off at Locking check",
    },
  ],
  steps: [
    step("lower", "lower/lift"),
    step("read", "read/lift_port", { point: "lift_port", before_bar: 95, after_bar: 0 }),
  ],
  remains: [
    {
      net: "cap",
      label: "Lift port",
      bar: 95,
      faults: ["section:linkage_off"],
      words: "Lift port may still hold up to 95 bar",
    },
  ],
  releases: [
    {
      point: "lift_port",
      label: "Lift port",
      before_bar: 95,
      after_bar: 0,
      worst_bar: 95,
      worst_with: "a linkage off",
    },
  ],
  caution: "The maker's procedure goes first.",
};

const entry = (id: string, data: EntryData, standing = true): ShownEntry => ({
  id,
  sequence: 1,
  data,
  words: "",
  looked: false,
  supersedes: null,
  standing,
  value_base: null,
  unit_base: null,
  verdict: null,
  author: "",
  created_at: "",
  onItsWay: false,
});
const said = (step: string, zero: boolean | null): EntryData => ({
  kind: "make_safe",
  text: "x",
  step,
  zero,
});

describe("making safe", () => {
  it("is not safe before the last zero is read", () => {
    const none = standOf(plan, doneSteps([]));
    expect([none.done, none.open.length]).toEqual([0, 1]);
    const lowered = doneSteps([entry("a", said("lower/lift", null))]);
    expect(standOf(plan, lowered).done).toBe(1);
    const all = doneSteps([
      entry("a", said("lower/lift", null)),
      entry("b", said("read/lift_port", true)),
    ]);
    expect(standOf(plan, all)).toMatchObject({ done: 2, open: [], holding: [] });
  });

  it("says it when a line does not read zero, and forgets what was withdrawn", () => {
    const holding = doneSteps([entry("b", said("read/lift_port", false))]);
    expect(standOf(plan, holding).holding).toHaveLength(1);
    expect(doneSteps([entry("b", said("read/lift_port", true), false)]).size).toBe(0);
  });

  it("keeps what a gauge read, and shows which suspect may hold a line", () => {
    const add = vi.fn();
    render(
      <MakeSafePanel
        plan={plan}
        entries={[]}
        suspects={[
          {
            key: "section:linkage_off",
            component: "section",
            mode: "linkage_off",
            family: "command",
            title: "Linkage",
            faults: [],
            share: 0.4,
            severity: 1,
            group: [],
            reasons: [],
            experience: [],
          },
        ]}
        onAdd={add}
      />,
    );
    expect(screen.getByRole("status").textContent).toContain("Not safe yet");
    expect(screen.getByText("suspected: 40 %")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Not zero" }));
    expect(add).toHaveBeenCalledWith(
      {
        kind: "make_safe",
        text: "Not at zero. Words of read/lift_port",
        step: "read/lift_port",
        zero: false,
      },
      undefined,
    );
  });

  it("turns good only when every step is done", () => {
    render(
      <MakeSafePanel
        plan={plan}
        entries={[entry("a", said("lower/lift", null)), entry("b", said("read/lift_port", true))]}
        suspects={[]}
        onAdd={vi.fn()}
      />,
    );
    expect(screen.getByRole("status").textContent).toContain("Every zero is read");
  });

  it("never calls a line safe that no test point sees", () => {
    render(
      <MakeSafePanel
        plan={{ ...plan, steps: [step("blind", "blind/cap")] }}
        entries={[entry("a", said("blind/cap", null))]}
        suspects={[]}
        onAdd={vi.fn()}
      />,
    );
    expect(screen.getByRole("status").textContent).toContain("1 line has no test point");
  });

  it("is told what does not work, and forgets it when it works again", () => {
    const add = vi.fn();
    const lack = entry("l", said("lack/drive", null));
    expect(lacksOf([lack, entry("a", said("lower/lift", null))])).toEqual(["drive"]);
    const { rerender } = render(
      <MakeSafePanel plan={plan} entries={[]} suspects={[]} onAdd={add} />,
    );
    fireEvent.click(screen.getByRole("button", { name: "The engine does not run" }));
    expect(add.mock.calls[0]?.[0]).toMatchObject({ kind: "make_safe", step: "lack/drive" });
    rerender(<MakeSafePanel plan={plan} entries={[lack]} suspects={[]} onAdd={add} />);
    fireEvent.click(screen.getByRole("button", { name: /The engine does not run/ }));
    expect(add.mock.calls[1]).toEqual([{ kind: "withdrawal", reason: "It works" }, "l"]);
    expect(screen.queryByRole("button", { name: /begin again/ })).toBeNull();
  });

  it("says of a store that reads full after it was dumped", () => {
    const dumped = { ...plan, steps: [step("empty", "empty/store")] };
    const full = entry("e", said("empty/store", false));
    render(<MakeSafePanel plan={dumped} entries={[full]} suspects={[]} onAdd={vi.fn()} />);
    expect(screen.getByRole("status").textContent).toContain("still reads full");
  });

  it("asks for a reason before one goes on while it is not at zero, and keeps it", () => {
    const schematic = {
      states: [
        { id: "metered", document: { interventions: [{ point: "p" }] } },
        { id: "idle", document: { interventions: [] } },
      ],
    } as unknown as Schematic;
    const reading = (state: string) => ({ kind: "reading", state }) as unknown as EntryData;
    expect(actOf(reading("metered"), schematic)).toContain("opened");
    expect(actOf(reading("idle"), schematic)).toBeNull();
    expect(actOf({ kind: "in_order", text: "" }, schematic)).toBe("the machine is in order");
    expect(notAtZero(null, [])).toContain("not worked out");
    expect(notAtZero(plan, [])).toBe("1 zero is not read.");
    expect(notAtZero(plan, [entry("b", said("read/lift_port", false))])).toContain("not at zero");
    const all = [entry("a", said("lower/lift", null)), entry("b", said("read/lift_port", true))];
    expect(notAtZero(plan, all)).toBeNull();
    const yes = vi.fn();
    render(
      <AskWhy act="the repair is done" why="1 zero is not read." onYes={yes} onNo={vi.fn()} />,
    );
    const go = screen.getByRole("button", { name: "Yes, and this is why" });
    expect(go).toHaveProperty("disabled", true);
    fireEvent.change(screen.getByLabelText("Why it is right to go on"), {
      target: { value: " the hose was off already " },
    });
    fireEvent.click(go);
    expect(yes).toHaveBeenCalledWith("the hose was off already");
    const kept = entry("g", goneOnWith("the repair is done", "1 zero is not read.", "hose off"));
    expect(goneOn([kept, { ...kept, standing: false }])).toHaveLength(1);
    expect(goneOn([kept])[0]).toContain("hose off");
  });

  it("shows the map of the machine at rest", () => {
    const states = [
      { id: "run", engine: "rated" },
      { id: "off_lever", engine: "off" },
      { id: "parked", engine: "off" },
    ];
    expect(atRest({ states } as unknown as Schematic)).toBe("parked");
    expect(atRest({ states: states.slice(0, 1) } as unknown as Schematic)).toBeNull();
  });
});
