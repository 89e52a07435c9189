import { describe, expect, it } from "vitest";
import type { PartType } from "../api/client";
import {
  changed,
  changeType,
  duplicate,
  freeName,
  insertInto,
  joinPort,
  joinsOf,
  type PartLine,
  type Past,
  partLineAt,
  redone,
  renamePart,
  undone,
} from "./machine/edits";

const type = (name: string, ports: string[], parameters: string[] = []): PartType => ({
  name,
  label: name,
  summary: "",
  ports,
  optional: ports.filter((p) => p === "lever"),
  parameters: parameters.map((p) => ({ name: p, unit: "1", description: "", default: 1 })),
});

const VALVE = type("lever_valve", ["P", "T", "A", "B", "lever"], ["centre_k"]);
const RAM = type("cylinder", ["A", "B", "rod"], ["bore_mm"]);
const FILTER = type("pressure_filter", ["inlet", "outlet"]);
const PUMP = type("fixed_pump", ["inlet", "outlet", "shaft"], ["displacement_cm3", "slip"]);
const GEAR = type("vane_pump", ["inlet", "outlet", "shaft", "case"], ["displacement_cm3"]);
const TANK = type("reservoir", ["tank", "suction"]);
const LOAD = type("mechanical_load", ["rod"]);
const TYPES = [VALVE, RAM, FILTER, PUMP, GEAR, TANK, LOAD];

const LIST = `engine motor "Motor"
tank reservoir tank=tank suction=s
pump fixed_pump "Pump = heart" inlet=s outlet=p shaft=motor slip=0.1 displacement_cm3=16
valve lever_valve P=p T=tank A=a B=b # to the ram
ram cylinder A=a B=b rod=load
load mechanical_load rod=load
function ram "The ram" moves=ram.rod load=load load.working=ram:3
move ram out valve.lever=1 direction=1
`;
const at = (word: string) => LIST.indexOf(word);
const line = (word: string, text = LIST) => partLineAt(text, text.indexOf(word)) as PartLine;
const lines = (text: string) => text.split("\n");

describe("changes of a list", () => {
  it("knows which lines are parts", () => {
    expect(line("pump fixed")).toMatchObject({ name: "pump", type: "fixed_pump" });
    for (const word of ["engine", "function", "move"])
      expect(partLineAt(LIST, at(word))).toBeNull();
    expect(partLineAt("", 0)).toBeNull();
    expect(freeName(LIST, "pump")).toBe("pump_2");
    expect(freeName(LIST, "cooler")).toBe("cooler");
  });

  it("renames a part wherever it is meant, and nothing that is only called alike", () => {
    const made = renamePart(LIST, "ram", "lifter");
    expect(made).toContain("\nlifter cylinder A=a");
    expect(made).toContain('function ram "The ram" moves=lifter.rod load=load load.working=ram:3');
    expect(made).toContain("move ram out valve.lever=1");
    expect(renamePart(LIST, "valve", "spool")).toContain("move ram out spool.lever=1");
    // The net keeps its name.
    const loads = renamePart(LIST, "load", "wedge");
    expect(loads).toContain("\nwedge mechanical_load rod=load");
    expect(loads).toContain("load=wedge load.working");
    expect(renamePart(LIST, "ram", "pump")).toBe(LIST);
    expect(renamePart(LIST, "ram", "Not good")).toBe(LIST);
  });

  it("changes a type and keeps every join and number that the new one has", () => {
    const made = changeType(LIST, line("pump fixed"), GEAR);
    expect(lines(made)[2]).toBe(
      'pump vane_pump "Pump = heart" inlet=s outlet=p shaft=motor displacement_cm3=16 case=?',
    );
    expect(lines(made)).toHaveLength(lines(LIST).length);
  });

  it("puts a part into a line: the net leads to it, and one of its own goes on", () => {
    const made = insertInto(LIST, line("valve lever"), "P", FILTER);
    expect(made.text).toContain("filter pressure_filter inlet=p outlet=filter_outlet\nvalve lever");
    expect(made.text).toContain("valve lever_valve P=filter_outlet T=tank");
    expect(made.text.slice(made.from).startsWith("\n") || made.from === made.to).toBe(true);
    const again = insertInto(made.text, line("valve lever", made.text), "P", FILTER);
    expect(again.text).toContain(
      "filter_2 pressure_filter inlet=filter_outlet outlet=filter_2_outlet",
    );
    // A port more than two is open, and typed next.
    const valve = insertInto(LIST, line("ram cylinder"), "A", VALVE);
    expect(valve.text.slice(valve.from, valve.to)).toBe("?");
  });

  it("joins a port", () => {
    // What a port bears is not where it is joined.
    const open = "ram cylinder A=? B=? rod=load max.A=250";
    const part = partLineAt(open, 0) as PartLine;
    const made = joinPort(open, part, "B", "ring");
    expect(made).toBe("ram cylinder A=? B=ring rod=load max.A=250");
    expect([...joinsOf(made, partLineAt(made, 0) as PartLine, RAM)]).toEqual([
      ["A", "?"],
      ["B", "ring"],
      ["rod", "load"],
    ]);
  });

  it("writes a section once more: own nets anew, shared ones the same", () => {
    const made = duplicate(LIST, at("valve lever"), at("load mech") - 1, TYPES);
    const added = made.text.slice(made.from, made.to);
    expect(lines(added)).toEqual([
      "valve_2 lever_valve P=p T=tank A=a_2 B=b_2 # to the ram",
      "ram_2 cylinder A=a_2 B=b_2 rod=load",
    ]);
    expect(made.text.replace(`\n${added}`, "")).toBe(LIST);
    // The copy of a copy has names of its own.
    const third = duplicate(made.text, made.from, made.to, TYPES);
    expect(lines(third.text.slice(third.from, third.to))[0]).toBe(
      "valve_3 lever_valve P=p T=tank A=a_3 B=b_3 # to the ram",
    );
    // What is no part is not written twice.
    expect(duplicate(LIST, at("function"), at("function"), TYPES).text).toBe(LIST);
  });
});

describe("taking back", () => {
  const begin: Past = { past: [], text: "", future: [], at_ms: 0 };

  it("goes back and forth step by step, and forgets what was taken back on a new change", () => {
    let now = changed(begin, "a part", 0);
    now = changed(now, "a part\nanother", 5000);
    expect(undone(now).text).toBe("a part");
    expect(undone(undone(now)).text).toBe("");
    expect(undone(undone(undone(now))).text).toBe("");
    expect(redone(undone(now)).text).toBe("a part\nanother");
    expect(redone(now)).toBe(now);
    expect(changed(undone(now), "x", 9000).future).toEqual([]);
  });

  it("takes keys struck one after the other as one step", () => {
    let now = begin;
    for (const [i, text] of ["p", "pu", "pum", "pump"].entries())
      now = changed(now, text, 10_000 + 200 * i);
    now = changed(now, "pump ", 20_000);
    expect(undone(now).text).toBe("pump");
    expect(undone(undone(now)).text).toBe("");
    expect(changed(now, "pump ", 20_100)).toBe(now);
  });
});
