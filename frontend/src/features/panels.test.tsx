import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import type { ComponentProps } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Diagnosis, EntryData, Job, Schematic, Step, Suspect, Workshop } from "../api/client";
import { lastSeen, suspicionOf } from "./job/JobPage";
import { ReadingPad } from "./reading/ReadingPad";
import { StepPanel } from "./step/StepPanel";
import { SuspectsPanel } from "./suspects/SuspectsPanel";
import { shortTitle } from "./suspects/shortTitle";

afterEach(cleanup);

const step: Step = {
  kind: "reading",
  point: "block_gauge",
  point_label: "Gauge port",
  gauge_point: "block_gauge",
  quantity: "pressure_bar",
  quantity_label: "pressure",
  unit: "bar",
  state: "stalled",
  state_label: "Held at the stop",
  reading: null,
  minutes: 3,
  bits: 0.7,
  healthy: { key: "healthy", low: 178, high: 190 },
  specification: { key: "spec", low: 178, high: 190 },
  by_suspect: [{ key: "relief:set_low", low: 90, high: 140 }],
  parts: [
    { low: null, high: 148.2, answer: "", suspects: ["Relief", "Pump"] },
    { low: 148.2, high: null, answer: "", suspects: ["Section 2"] },
  ],
  outcomes: [],
  curve_of: [],
  hazards: [],
  cautions: ["Nobody in the hopper."],
  fitting: "M16",
  instrument: "gauge",
  instrument_label: "Gauge 0 … 400 bar",
  highest_bar: 210,
  worth: 10,
  refused: "",
};

const suspect: Suspect = {
  key: "relief:set_low",
  component: "relief",
  mode: "set_low",
  family: "detour",
  title: "Relief: opens early",
  faults: [
    {
      component: "relief",
      component_label: "Relief",
      location: "block",
      mode: "set_low",
      mode_label: "opens early",
      family: "detour",
      confirm: "Spring length.",
      remedy: "Set it.",
    },
  ],
  share: 0.8,
  severity: 0.5,
  group: ["relief:set_low", "relief:seat"],
  experience: [],
  reasons: [
    { observation: "r", words: "Reading speaks for it", log10_ratio: 1.2, predicted: null },
  ],
};

const diagnosis: Diagnosis = {
  suspects: [suspect],
  other_share: 0.01,
  explained: true,
  two_faults_considered: false,
  left_out: [],
  earlier_readings: 0,
  at_odds: [],
  before_tests: [],
  plan: {
    enough: false,
    do_first: null,
    not_excluded: [],
    expected_cost: 0,
    next_steps: [
      step,
      { ...step, point: "x", point_label: "Blocked pump", refused: "would see 517 bar" },
    ],
    repairs: [],
    guesses: [],
  },
};

const workshop: Workshop = {
  name: "W",
  currency: "EUR",
  labour_per_min: 1.5,
  machines: [],
  units: [
    {
      symbol: "bar",
      kind: "pressure",
      factor: 1,
      offset: 0,
      below: null,
      quantities: ["pressure_bar", "peak_bar", "left_bar"],
    },
    {
      symbol: "psi",
      kind: "pressure",
      factor: 0.0689475729,
      offset: 0,
      below: null,
      quantities: ["pressure_bar", "peak_bar", "left_bar"],
    },
  ],
  instruments: [
    {
      id: "gauge",
      label: "Gauge 0 … 400 bar",
      measures: "pressure",
      low: 0,
      high: 400,
      unit: "bar",
      accuracy_pct: 1,
      retired: false,
      calibration_months: 12,
    },
  ],
};

function shown(over: Diagnosis, onDecide = () => {}) {
  return render(
    <StepPanel
      schematic={{ states: [] } as unknown as Schematic}
      curve={null}
      revision={1}
      diagnosis={over}
      workshop={workshop}
      chosen={step}
      pointLabel="M2"
      conditions="Engine rated · oil 50 °C"
      reading={false}
      onRead={() => {}}
      onMoment={() => {}}
      onChoose={() => {}}
      onKeep={() => {}}
      onDecide={onDecide}
      onDoubt={async () => []}
    />,
  );
}

describe("StepPanel", () => {
  it("names the guess that costs most, and what the plate would tell", () => {
    const guess = {
      component: "relief",
      component_label: "Main relief",
      parameter: "set_bar",
      description: "opens at",
      value: 200,
      unit: "bar",
      bits: 0.83,
    };
    shown({ ...diagnosis, plan: diagnosis.plan && { ...diagnosis.plan, guesses: [guess] } });
    expect(screen.getByText("Main relief").closest("li")?.textContent).toBe(
      "Main relief, opens at: 200 bar is taken. From the plate or the sheet it would tell 0.8 bit.",
    );
  });

  it("says whom each outcome would point at", () => {
    shown(diagnosis);
    const meaning = screen.getByLabelText("What each outcome would mean");
    const lines = [...meaning.children].map((line) => line.textContent);
    expect(lines).toEqual(["under 148 bar", "Relief, Pump", "above 148 bar", "Section 2"]);
  });

  it("says what is done first and what that would not cure, once enough is known", () => {
    const repair = {
      component: "relief",
      component_label: "Main relief",
      remedy: "Set it with a gauge.",
      share: 0.98,
      cost: 30,
      expected_cost: 50,
    };
    const plan = diagnosis.plan && {
      ...diagnosis.plan,
      enough: true,
      do_first: repair,
      not_excluded: ["Pump: worn"],
    };
    const { unmount } = shown({ ...diagnosis, plan });
    expect(screen.getByText(/Main relief. Set it with a gauge/)).toBeTruthy();
    expect(screen.getByText(/Not excluded: Pump: worn/)).toBeTruthy();
    unmount();
    // A machine that is most likely in order is given no repair to begin with, however cheap.
    shown({ ...diagnosis, plan: plan && { ...plan, repairs: [repair], do_first: null } });
    expect(screen.queryByText(/Do this first/)).toBeNull();
    expect(screen.getByText(/Nothing is to be mended/)).toBeTruthy();
  });

  it("leads to the decision once no step is worth its minutes, not before", () => {
    let decided = 0;
    const { unmount } = shown(diagnosis);
    expect(screen.queryByText(/decide what is mended/)).toBeNull();
    unmount();
    shown({ ...diagnosis, plan: diagnosis.plan && { ...diagnosis.plan, enough: true } }, () => {
      decided += 1;
    });
    expect(screen.getByText(/decide what is mended/)).toBeTruthy();
    screen.getByRole("button", { name: "To the suspects" }).click();
    expect(decided).toBe(1);
  });

  it("says where, with what, is it safe, what a good one shows, and why not another", () => {
    shown(diagnosis);
    expect(screen.getByRole("heading", { level: 2 }).textContent).toContain("M2 Gauge port");
    expect(screen.getByText(/up to 210 bar possible/)).toBeTruthy();
    expect(screen.getByText("Nobody in the hopper.")).toBeTruthy();
    expect(screen.getByText("Engine rated · oil 50 °C")).toBeTruthy();
    expect(screen.getByText(/specified 178 … 190 bar/)).toBeTruthy();
    expect(screen.getByText(/would see 517 bar/)).toBeTruthy();
  });
});

const noCurve = async () => {
  throw new Error("line 2 is not two numbers");
};

const pad = (change: Partial<ComponentProps<typeof ReadingPad>> = {}) =>
  render(
    <ReadingPad
      step={step}
      workshop={workshop}
      conditions="Engine rated · oil 50 °C"
      rows={[]}
      onKeep={() => {}}
      onDoubt={async () => []}
      onCurve={noCurve}
      onCancel={() => {}}
      {...change}
    />,
  );

describe("ReadingPad", () => {
  it("takes its value from a curve that is pasted, and keeps the curve with it", async () => {
    const keep = vi.fn<(data: EntryData) => void>();
    const recorded = { unit: "bar", time_s: [0, 10], shown: [80, 20] };
    const read = vi.fn(async () => ({ value: 20, unit: "bar", recorded }));
    const timed = {
      ...step,
      curve_of: ["pressure"],
      quantity: "left_bar",
      point: "store_left",
    } as Step;
    pad({ step: timed, onKeep: keep, onCurve: read });
    fireEvent.change(screen.getByLabelText(/Rows of seconds/), {
      target: { value: "0;80\n10;20" },
    });
    fireEvent.click(screen.getByRole("button", { name: "Read the curve" }));
    await waitFor(() => expect(screen.getByLabelText("Value").textContent).toBe("20"));
    expect(read).toHaveBeenCalledWith("0;80\n10;20", "bar");
    fireEvent.click(screen.getByRole("button", { name: "Keep the reading" }));
    await waitFor(() =>
      expect(keep).toHaveBeenCalledWith(expect.objectContaining({ value: 20, recorded })),
    );
  });

  it("says what is wrong with a curve", async () => {
    const timed = { ...step, quantity: "peak_bar", curve_of: ["pressure"] } as Step;
    pad({ step: timed });
    fireEvent.change(screen.getByLabelText(/Rows of seconds/), { target: { value: "x" } });
    fireEvent.click(screen.getByRole("button", { name: "Read the curve" }));
    expect(await screen.findByText(/line 2 is not two numbers/)).toBeTruthy();
  });

  it("questions a reading once, and keeps it all the same", async () => {
    const keep = vi.fn<(data: EntryData) => void>();
    const doubt = vi.fn(async () => ["14.5 psi, read as bar?"]);
    pad({ onKeep: keep, onDoubt: doubt });
    fireEvent.click(screen.getByRole("button", { name: "7" }));
    fireEvent.click(screen.getByRole("button", { name: "Keep the reading" }));
    expect(await screen.findByText("14.5 psi, read as bar?")).toBeTruthy();
    expect(keep).not.toHaveBeenCalled();
    fireEvent.click(screen.getByRole("button", { name: "Keep it all the same" }));
    await waitFor(() => expect(keep).toHaveBeenCalledWith(expect.objectContaining({ value: 7 })));
    expect(doubt).toHaveBeenCalledTimes(1);
  });

  it("keeps a reading as taken, with its unit and repeats", async () => {
    const keep = vi.fn<(data: EntryData) => void>();
    pad({ onKeep: keep });
    const tap = (name: string) => fireEvent.click(screen.getByRole("button", { name }));
    tap("psi");
    for (const key of "1930") tap(key);
    tap("Repeat it");
    for (const key of "1940") tap(key);
    tap("Keep the reading");
    await waitFor(() => expect(keep).toHaveBeenCalled());
    expect(keep).toHaveBeenCalledWith(
      expect.objectContaining({
        point: "block_gauge",
        state: "stalled",
        value: 1930,
        repeats: [1940],
        unit: "psi",
        instrument: "gauge",
      }),
    );
  });

  it("keeps nothing while nothing is typed", () => {
    pad();
    expect(screen.getByRole("button", { name: "Keep the reading" })).toHaveProperty(
      "disabled",
      true,
    );
  });
});

describe("SuspectsPanel", () => {
  const show = (change: Partial<Diagnosis>) =>
    render(
      <SuspectsPanel
        diagnosis={{ ...diagnosis, ...change }}
        currency="EUR"
        selected={null}
        onSelect={() => {}}
        onDecide={() => {}}
      />,
    );

  it("closes a job that finds nothing wrong, in words for the customer", () => {
    const added: unknown[] = [];
    const healthy = { ...(diagnosis.suspects[0] as Suspect), key: "healthy", component: "" };
    render(
      <SuspectsPanel
        diagnosis={{ ...diagnosis, suspects: [healthy] }}
        currency="EUR"
        selected={null}
        onSelect={() => {}}
        onDecide={(data) => added.push(data)}
      />,
    );
    const close = screen.getByRole("button", { name: "Close: the machine is in order" });
    const words = screen.getByLabelText("What to tell the customer");
    fireEvent.change(words, { target: { value: "  " } });
    expect((close as HTMLButtonElement).disabled).toBe(true);
    fireEvent.change(words, { target: { value: " Overloaded, no fault. " } });
    fireEvent.click(close);
    expect(added).toEqual([{ kind: "in_order", text: "Overloaded, no fault." }]);
  });

  it("says when the machine's own earlier readings were weighed along, and only then", () => {
    show({});
    expect(screen.queryByText(/Weighed along/)).toBeNull();
    cleanup();
    show({ earlier_readings: 4 });
    expect(screen.getByText(/last in order \(\s*4\s+readings\)/)).toBeTruthy();
  });

  it("names whom a suspect cannot be told from", () => {
    show({});
    expect(screen.getByText(/No offered test tells it from/)).toBeTruthy();
    expect(screen.getByText("Reading speaks for it")).toBeTruthy();
  });

  it("names only the other of two faults that a suspect is one of", () => {
    const [fault] = suspect.faults;
    if (!fault) throw new Error("no fault");
    const worn = {
      ...fault,
      component: "pump",
      component_label: "Pump",
      mode: "worn",
      mode_label: "worn",
    };
    const keys = ["relief:set_low", "pump:worn", "pump:worn+relief:set_low"];
    const also = { ...suspect, key: "pump:worn+relief:set_low", faults: [worn, fault] };
    const other = { ...suspect, key: "pump:worn", title: "Pump: worn", faults: [worn] };
    show({
      suspects: [{ ...suspect, group: keys }, other, { ...also, title: "Pump: worn and Relief" }],
    });
    expect(screen.getByText("No offered test tells it from: Pump: worn")).toBeTruthy();
    expect(
      screen.getByText("No offered test tells whether there is also: Pump: worn"),
    ).toBeTruthy();
  });

  it("folds small second faults below the one that leads, and opens each with its reasons", () => {
    const [fault] = suspect.faults;
    if (!fault) throw new Error("no fault");
    const second = (component: string, share: number): Suspect => ({
      ...suspect,
      key: `${component}:worn+relief:set_low`,
      title: `${component} worn and Relief`,
      faults: [
        { ...fault, component, component_label: component, mode: "worn", mode_label: "worn" },
        fault,
      ],
      share,
    });
    show({ suspects: [suspect, second("pump", 0.05), second("motor", 0.02)] });
    expect(screen.queryByText("and pump: worn")).toBeNull();
    const fold = screen.getByRole("button", { name: /with a second fault, 2 of them: 7\.0 %/ });
    fireEvent.click(fold);
    fireEvent.click(screen.getByRole("button", { name: /and motor: worn/ }));
    expect(screen.getByRole("button", { name: "Decide: motor" })).toBeTruthy();
    fireEvent.click(fold);
    expect(screen.queryByText("and pump: worn")).toBeNull();
    cleanup();
    // One that is likely stands for itself.
    show({ suspects: [suspect, second("pump", 0.15)] });
    expect(screen.getByText("pump worn and Relief")).toBeTruthy();
    expect(screen.queryByRole("button", { name: /second fault/ })).toBeNull();
  });

  it("says when nothing modelled explains the readings", () => {
    show({ explained: false, two_faults_considered: true });
    expect(screen.getByText(/not even two faults at once/)).toBeTruthy();
  });

  it("names readings that do not go together before all else", () => {
    show({
      at_odds: [{ observations: ["a", "b"], words: "190 bar and 120 bar contradict one another" }],
    });
    expect(screen.getByText(/contradict one another/)).toBeTruthy();
  });

  it("says what the oil asks for before any test", () => {
    show({ before_tests: ["Metal in the oil: stop the machine here."] });
    expect(screen.getByText(/stop the machine here/)).toBeTruthy();
  });

  it("warns of two faults where they are likely, and not where they were merely weighed", () => {
    const [fault] = suspect.faults;
    if (!fault) throw new Error("no fault");
    const pump = { ...fault, component: "pump", component_label: "Pump", mode: "worn" };
    const both = { ...suspect, key: "a+b", faults: [fault, pump], share: 0.02 };
    show({ two_faults_considered: true, suspects: [suspect, both] });
    expect(screen.queryByText(/Two faults at once/)).toBeNull();
    cleanup();
    show({ two_faults_considered: true, suspects: [{ ...both, share: 0.61 }, suspect] });
    expect(screen.getByText(/Two faults at once: 61 %/)).toBeTruthy();
    expect(shortTitle(both)).toBe("Relief + Pump");
    expect(shortTitle({ ...both, faults: [fault, { ...fault, mode_label: "leaks" }] })).toBe(
      "Relief: opens early + leaks",
    );
    expect(shortTitle(suspect)).toBe("Relief: opens early");
  });

  it("says which observation could not be weighed, and why", () => {
    show({ left_out: [{ observation: "o", words: "Gauge 9 furlongs", why: "no such unit" }] });
    expect(screen.getByText(/Kept, but not weighed/).parentElement?.textContent).toContain(
      "Gauge 9 furlongs. no such unit",
    );
  });

  it("adds up the belief on a part", () => {
    const twice = { ...diagnosis, suspects: [suspect, { ...suspect, key: "b", share: 0.15 }] };
    expect(suspicionOf(twice).get("relief")).toBeCloseTo(0.95);
  });
});

describe("lastSeen", () => {
  const states = [
    { id: "parked", label: "Engine off", engine: "off", oil_c: 20, moves: {}, cautions: [] },
    { id: "neutral", label: "Neutral", engine: "rated", oil_c: 50, moves: {}, cautions: [] },
    { id: "stalled", label: "Stalled", engine: "rated", oil_c: 50, moves: {}, cautions: [] },
  ];
  const schematic = { states } as unknown as Schematic;
  const read = (state: unknown, standing = true) => ({
    standing,
    data: { kind: "reading", id: "r", point: "p", quantity: "pressure_bar", state },
  });
  const job = (...entries: unknown[]) => ({ entries }) as Pick<Job, "entries">;

  it("shows the state last read in, corrections aside", () => {
    const entries = [read("stalled"), read("neutral", false), read({ label: "own" })];
    expect(lastSeen(job(...entries), schematic)).toBe("stalled");
  });

  it("shows a running machine when nothing was read", () => {
    expect(lastSeen(job(), schematic)).toBe("neutral");
  });
});
