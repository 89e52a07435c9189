import { cleanup, render, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Diagnosis } from "../api/client";
import { MendCard } from "./suspects/MendCard";

type Mend = NonNullable<Diagnosis["mend"]>;

const setting: NonNullable<Mend["setting"]> = {
  parameter: "set_bar",
  specification: "main",
  point: "block",
  point_label: "Gauge port",
  state: "stalled",
  state_label: "Held at the stop",
  unit: "bar",
  as_found: 150,
  target: 184,
  low: 180,
  high: 188,
  turns: 1.13,
  shims: null,
  on_the_way: [
    { turns: 0, shims: null, reading: 150 },
    { turns: 0.5, shims: null, reading: 165.2 },
    { turns: 1.13, shims: null, reading: 184 },
  ],
  within_limit: true,
  never_above: 194.2,
  weakest: "Pump, outlet: 185 of 250 bar",
  source: "Workshop manual",
  cautions: ["Ten seconds at a time."],
};

const mend: Mend = {
  component: "relief",
  label: "Main relief",
  location: "inlet section",
  options: [
    {
      work: "set",
      words: "Set it with a gauge.",
      cures: ["opens early"],
      share: 0.86,
      part_cost: 0,
      labour_min: 20,
      cost: 30,
    },
    {
      work: "exchange",
      words: "Exchange the part.",
      cures: ["opens early", "seat leaks"],
      share: 0.94,
      part_cost: 120,
      labour_min: 35,
      cost: 172,
    },
  ],
  look_for: ["Spring length."],
  if_not: ["Blade section: spool worn: 3%"],
  beside: [{ component: "check", label: "Load check", share: 0.04, cost: 44 }],
  setting,
  why_no_setting: "",
  cautions: ["Main relief: the machine keeps 60 bar here."],
};

afterEach(cleanup);

const show = (change: Partial<Mend> = {}) =>
  render(<MendCard mend={{ ...mend, ...change }} currency="€" />);

describe("MendCard", () => {
  it("sets what can be done side by side, with its price and what it cures", () => {
    show();
    const card = screen.getByRole("region", { name: "Mend Main relief" });
    const [set, exchange] = within(card).getAllByRole("listitem");
    expect(set?.textContent).toContain("20 min, cures it in 86 % of all cases");
    expect(set?.textContent).toContain("30\u00a0€");
    expect(exchange?.textContent).toContain("parts 120\u00a0€");
    expect(card.textContent).toContain("keeps 60 bar");
    expect(card.textContent).toContain("Load check (4 %, 44\u00a0€ more)");
    expect(card.textContent).toContain("Blade section: spool worn: 3%");
  });

  it("shows what the gauge reads after each part of a turn", () => {
    show();
    const rows = within(screen.getByRole("table")).getAllByRole("row").slice(1);
    expect(rows.map((r) => r.textContent)).toEqual([
      "0 turns150 bar",
      "+0.5 turns165 bar",
      "+1.25 turns184 bar",
    ]);
    expect(screen.getByText(/from 150 to/)).toBeTruthy();
    expect(screen.getByText("194")).toBeTruthy();
  });

  it("counts shims, and says where a spring is too weak", () => {
    const on_the_way = [
      { turns: null, shims: 0, reading: 15 },
      { turns: null, shims: 2, reading: 16.5 },
    ];
    show({ setting: { ...setting, turns: null, shims: 2, on_the_way, within_limit: false } });
    expect(screen.getByText("+2 shims")).toBeTruthy();
    expect(screen.getByText(/the spring is weak, replace it/)).toBeTruthy();
  });

  it("leaves alone what meets its specification", () => {
    show({ setting: { ...setting, as_found: 185, target: 185, turns: 0 } });
    expect(screen.getByText(/it shows 185 bar; nothing to change/)).toBeTruthy();
    expect(screen.queryByRole("table")).toBeNull();
  });

  it("says nothing of a setting where there is none", () => {
    show({ setting: null, beside: [], if_not: [] });
    expect(screen.queryByText(/with a gauge at/)).toBeNull();
    expect(screen.queryByText(/If it is not that/)).toBeNull();
  });
});
