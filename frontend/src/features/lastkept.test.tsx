import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { ShownEntry } from "../api/outbox";
import { LastKept } from "./job/LastKept";

afterEach(cleanup);

const entry = (sequence: number, more: object = {}) =>
  ({
    id: `e${sequence}`,
    sequence,
    data: { kind: "note", text: "" },
    words: `Words of ${sequence}`,
    standing: true,
    onItsWay: false,
    ...more,
  }) as unknown as ShownEntry;

describe("what was kept last", () => {
  it("can be taken back with one tap, but not what stood there before", () => {
    const undone: string[] = [];
    const undo = (id: string) => undone.push(id);
    const shown = render(<LastKept entries={[entry(1)]} onUndo={undo} />);
    expect(screen.queryByText("Undo")).toBeNull();
    shown.rerender(<LastKept entries={[entry(1), entry(2, { onItsWay: true })]} onUndo={undo} />);
    expect(screen.queryByText("Undo")).toBeNull();
    shown.rerender(<LastKept entries={[entry(1), entry(2)]} onUndo={undo} />);
    expect(screen.getByText("Kept: Words of 2")).toBeTruthy();
    fireEvent.click(screen.getByText("Undo"));
    expect(undone).toEqual(["e2"]);
  });

  it("is gone once it is taken back", () => {
    const shown = render(<LastKept entries={[]} onUndo={() => {}} />);
    const taken = [
      entry(1, { standing: false }),
      entry(2, { data: { kind: "withdrawal", reason: "" } }),
    ];
    shown.rerender(<LastKept entries={taken} onUndo={() => {}} />);
    expect(screen.queryByText("Undo")).toBeNull();
  });
});
