import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Stopwatch } from "./reading/Stopwatch";

describe("the watch", () => {
  beforeEach(() => {
    vi.useFakeTimers({ toFake: ["performance", "setInterval", "clearInterval"] });
  });
  afterEach(() => {
    cleanup();
    vi.useRealTimers();
  });

  it("is started by one tap, runs in view, and gives its seconds out at the next", () => {
    const given: string[] = [];
    render(<Stopwatch onStop={(text) => given.push(text)} />);
    fireEvent.click(screen.getByRole("button", { name: "Start the watch" }));
    act(() => {
      vi.advanceTimersByTime(12_300);
    });
    expect(screen.getByRole("button").textContent).toBe("Stop it · 12.3 s");
    expect(given).toEqual([]);
    fireEvent.click(screen.getByRole("button"));
    expect(given).toEqual(["12.3"]);
    expect(screen.getByRole("button").textContent).toBe("Start the watch");
  });

  it("begins at nothing when it is started again", () => {
    const given: string[] = [];
    render(<Stopwatch onStop={(text) => given.push(text)} />);
    for (const ms of [5000, 2000]) {
      fireEvent.click(screen.getByRole("button"));
      act(() => {
        vi.advanceTimersByTime(ms);
      });
      fireEvent.click(screen.getByRole("button"));
    }
    expect(given).toEqual(["5.0", "2.0"]);
  });
});
