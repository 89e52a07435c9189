import { describe, expect, it } from "vitest";
import type { PartType } from "../../api/client";
import { insertLine, lineFor, lineStart, partAt } from "./listing";

const type = (name: string, label: string, summary = "", ports: string[] = []): PartType => ({
  name,
  label,
  summary,
  ports,
  optional: [],
  parameters: [],
});
const CYLINDER = type("cylinder", "Cylinder", "Double-acting", ["A", "B", "rod"]);
const RELIEF = type("relief_valve", "Relief valve", "Bounds a pressure", ["inlet", "outlet"]);

describe("the list's lines", () => {
  it("knows where each begins", () => {
    const text = "one\ntwo\n\nfour";
    expect([1, 2, 3, 4].map((n) => lineStart(text, n))).toEqual([0, 4, 8, 9]);
    expect(lineStart(text, 9)).toBe(text.length + 1);
  });

  it("gives a new part a free name and leaves its joins open", () => {
    expect(lineFor(CYLINDER, "")).toBe("cylinder cylinder A=? B=? rod=?");
    expect(lineFor(RELIEF, "valve relief_valve inlet=p outlet=t\n")).toBe(
      "valve_2 relief_valve inlet=? outlet=?",
    );
  });

  it("puts a line below the cursor's and goes to its first open join", () => {
    const made = insertLine("a x\nb y\n", 1, "c z P=? T=?");
    expect(made.text).toBe("a x\nc z P=? T=?\nb y\n");
    expect(made.text.slice(made.from, made.to)).toBe("?");
    expect(made.from).toBe(made.text.indexOf("?"));
  });

  it("begins an empty list, and adds after a last line that is ended", () => {
    expect(insertLine("", 0, "c z P=?").text).toBe("c z P=?\n");
    expect(insertLine("a x\n", 4, "c z P=?").text).toBe("a x\nc z P=?\n");
  });
});

describe("the part under the cursor", () => {
  it("is known by its type, with what it was told already", () => {
    const text = "tank reservoir tank=t\nram cylinder A=a bore_mm=90  # the big one\n";
    const found = partAt(text, text.indexOf("ram") + 2, [CYLINDER, RELIEF]);
    expect(found?.type.name).toBe("cylinder");
    expect([...(found?.given ?? [])]).toEqual(["A", "bore_mm"]);
    expect(text.slice(0, found?.end).endsWith("bore_mm=90")).toBe(true);
    expect(partAt(text, 3, [CYLINDER, RELIEF])).toBeNull();
  });
});
