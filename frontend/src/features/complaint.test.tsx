import { describe, expect, it } from "vitest";
import type { Entry } from "../api/client";
import {
  againstOf,
  behaviourOf,
  entryOf,
  NOTHING_TOLD,
  toldBy,
  withHow,
  withRemark,
} from "./complaint/told";

function entry(id: string, how: "slow" | "dead", also: ("drifts" | "noisy")[], standing = true) {
  const data = { kind: "behaviour", id, function: "arm", move: "raise", how, also, when: "warm" };
  return { id, sequence: 1, data, standing, words: "" } as unknown as Entry;
}

describe("what is told about a move", () => {
  it("keeps slow, weak and drifting together, and nothing else", () => {
    const slow = withHow(NOTHING_TOLD, "slow");
    const both = withHow(slow, "drifts");
    expect(both.hows).toEqual(["slow", "drifts"]);
    expect(withHow(both, "weak").hows).toEqual(["slow", "drifts", "weak"]);
    expect(withHow(both, "dead").hows).toEqual(["dead"]);
    expect(withHow(withHow(both, "as_usual"), "slow").hows).toEqual(["slow"]);
  });

  it("takes a word back, but not the last one", () => {
    const both = withHow(withHow(NOTHING_TOLD, "slow"), "drifts");
    expect(withHow(both, "slow").hows).toEqual(["drifts"]);
    const one = withHow(NOTHING_TOLD, "slow");
    expect(withHow(one, "slow")).toBe(one);
  });

  it("tells what is beside how it goes only once that is told", () => {
    const noisy = withRemark(withHow(NOTHING_TOLD, "slow"), "noisy");
    expect(behaviourOf(noisy, "arm", "raise", "cold")).toEqual({
      kind: "behaviour",
      id: "new",
      function: "arm",
      move: "raise",
      how: "slow",
      also: ["noisy"],
      when: "cold",
      against: "itself",
    });
    expect(behaviourOf(noisy, "arm", "raise", "cold", "document")?.against).toBe("document");
    expect(withRemark(noisy, "noisy").remarks).toEqual([]);
    expect(behaviourOf(withRemark(NOTHING_TOLD, "noisy"), "arm", "raise", "cold")).toBeNull();
  });

  it("goes on comparing with what was compared with last", () => {
    const kept = entry("e1", "slow", []);
    expect(againstOf([kept])).toBe("itself");
    Object.assign(kept.data, { against: "document" });
    expect(againstOf([entry("e0", "dead", []), kept])).toBe("document");
    expect(againstOf([])).toBe("itself");
  });

  it("reads an entry back as it was told", () => {
    const kept = entry("e1", "slow", ["noisy", "drifts"]);
    expect(toldBy(kept)).toEqual({ hows: ["slow", "drifts"], remarks: ["noisy"] });
    expect(toldBy(undefined)).toBe(NOTHING_TOLD);
    const entries = [entry("e0", "dead", [], false), kept];
    expect(entryOf(entries, "arm", "raise", "warm")?.id).toBe("e1");
    expect(entryOf(entries, "arm", "raise", "hot")).toBeUndefined();
    const seen = entry("e2", "dead", []);
    Object.assign(seen.data, { told_before: "slow" });
    expect(entryOf([...entries, seen], "arm", "raise", "warm")?.id).toBe("e1");
  });
});
