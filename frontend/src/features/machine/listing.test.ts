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
