import { cleanup, render, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Place } from "../api/client";
import { Branches } from "./step/WayOn";

function place(changes: Partial<Place>): Place {
  return {
    enough: false,
    leaders: [{ key: "pump:worn", title: "Pump: worn", share: 0.6 }],
    repair: null,
    step: null,
    step_key: null,
    minutes: 0,
    expected_min: 0,
    branches: [],
    ...changes,
  };
}

const root = place({
  step: "Pump outlet — both stalled [bar]",
  minutes: 8,
  branches: [
    {
      words: "below 170 bar",
      low: null,
      high: 170,
      share: 0.62,
      place: place({ enough: true, repair: "Pump: Replace the part." }),
    },
    {
      words: "170 … 190 bar, as healthy",
      low: 170,
      high: 190,
      share: 0.36,
      place: place({ step: "Case drain — idle [L/min]", minutes: 12 }),
    },
    { words: "above 190 bar", low: 190, high: null, share: 0.02, place: null },
  ],
});

describe("the way on", () => {
  afterEach(cleanup);

  it("says for each answer what comes then: a repair, a step, or that it is seldom", () => {
    render(<Branches place={root} top />);
    const [low, healthy, high] = within(screen.getAllByRole("list")[0] as HTMLElement).getAllByRole(
      "listitem",
    );
    expect(low?.textContent).toContain("below 170 bar62 %");
    expect(low?.textContent).toContain("Enough. Mend first: Pump: Replace the part.");
    expect(healthy?.textContent).toContain("Case drain — idle [L/min]12 min");
    expect(healthy?.textContent).not.toContain("Mend first");
    expect(high?.textContent).toBe("above 190 barseldom");
  });

  it("opens what is likely and folds what lies deeper", () => {
    const deeper = place({ step: "Look at it", branches: root.branches });
    const top = {
      ...root,
      branches: root.branches.map((b) => ({ ...b, place: b.place && deeper })),
    };
    const { container } = render(<Branches place={top} top />);
    const folded = [...container.querySelectorAll("details")].map((d) => d.open);
    expect(folded).toEqual([true, false, false, true, false, false]);
  });
});
