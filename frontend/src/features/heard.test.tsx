import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { Heard } from "./complaint/Heard";

afterEach(cleanup);

const entry: Schemas["Offer"]["entry"] = {
  kind: "behaviour",
  id: "new",
  function: "slew",
  move: "left",
  how: "dead",
  when: "warm",
  also: [],
  against: "itself",
};

describe("Heard", () => {
  it("offers what the sentence may mean, and takes it only by a tap", () => {
    const taken: unknown[] = [];
    render(
      <Heard
        offers={[{ phrase: "does not slew left", words: "Slew left: dead, warm oil", entry }]}
        onTaken={(one) => taken.push(one)}
      />,
    );
    expect(taken).toEqual([]);
    screen.getByRole("button", { name: "Slew left: dead, warm oil" }).click();
    expect(taken).toEqual([entry]);
  });

  it("is not there where nothing was heard", () => {
    const { container } = render(<Heard offers={[]} onTaken={() => {}} />);
    expect(container.textContent).toBe("");
  });
});
