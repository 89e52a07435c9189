import { describe, expect, it } from "vitest";
import type { SafePlan } from "../../api/client";
import type { ShownEntry } from "../../api/outbox";
import { addressOf, PARTS, type Seen, type Stand } from "./parts";

let sequence = 0;
function entry(data: object, verdict: object | null = null): ShownEntry {
  sequence += 1;
  return {
    id: `e${sequence}`,
    sequence,
    data,
    words: "",
    supersedes: null,
    standing: true,
    value_base: null,
    unit_base: null,
    verdict,
    author: "",
    created_at: "2026-01-01T00:00:00Z",
  } as ShownEntry;
}

const told = () => entry({ kind: "behaviour", function: "blade", move: "out", how: "weak" });
const reading = (word: string) =>
  entry(
    { kind: "reading", point: "p", quantity: "pressure_bar", state: "s", value: 1, unit: "bar" },
    { word, low: 1, high: 2, source: "" },
  );
const decided = () => entry({ kind: "decision", component: "relief", mode: "set_low" });
const repaired = () => entry({ kind: "repair", component: "relief", text: "Set." });

function stands(seen: Partial<Seen>): Record<string, Stand> {
  const whole: Seen = { entries: [], safe: null, proof: null, enough: false, ...seen };
  return Object.fromEntries(PARTS.map((p) => [p.id, p.stand(whole)]));
}

describe("the parts of a job", () => {
  it("stand in the order in which people work, each with a place", () => {
    expect(PARTS.map((p) => p.id)).toEqual([
      "complaint",
      "safe",
      "trace",
      "test",
      "repair",
      "prove",
      "report",
    ]);
    const places = PARTS.map((p) => addressOf("7", p));
    expect(new Set(places).size).toBe(PARTS.length);
    expect(places[0]).toBe("/jobs/7/complaint");
    expect(places[1]).toBe("/jobs/7?part=safe");
  });

  it("begin with the complaint alone open", () => {
    expect(stands({})).toMatchObject({ complaint: "open", test: "later", repair: "later" });
  });

  it("test until enough is known, then repair", () => {
    const entries = [told()];
    expect(stands({ entries })).toMatchObject({ complaint: "done", test: "open" });
    expect(stands({ entries, enough: true })).toMatchObject({ test: "done", repair: "open" });
    expect(stands({ entries: [...entries, decided()] })).toMatchObject({ repair: "open" });
  });

  it("are proved when the record says so, and not before", () => {
    const entries = [told(), reading("low"), decided(), repaired()];
    expect(stands({ entries })).toMatchObject({ repair: "done", prove: "open" });
    expect(stands({ entries, proof: "open" }).prove).toBe("open");
    expect(stands({ entries, proof: "contradicted" }).prove).toBe("open");
    expect(stands({ entries, proof: "proved" })).toMatchObject({ prove: "done", report: "open" });
  });

  it("go on where nothing wrong was found, until a part is", () => {
    const inOrder = entry({ kind: "in_order", text: "Nothing wrong." });
    const entries = [told(), reading("pass"), inOrder];
    expect(stands({ entries })).toMatchObject({ test: "done", repair: "later", report: "open" });
    expect(stands({ entries: [...entries, decided()] })).toMatchObject({
      repair: "open",
      report: "later",
    });
  });

  it("are not proved by a repair that was withdrawn", () => {
    const undone = { ...repaired(), standing: false };
    expect(stands({ entries: [told(), reading("low"), undone, reading("pass")] }).prove).toBe(
      "later",
    );
  });

  it("are safe only when every line was read at zero", () => {
    const step = (key: string) => ({ key, kind: "read", point: key });
    const safe = { steps: [step("a"), step("b")] } as unknown as SafePlan;
    const zero = (key: string, at: boolean) =>
      entry({ kind: "make_safe", text: key, step: key, zero: at });
    expect(stands({ safe }).safe).toBe("later");
    expect(stands({ safe, entries: [zero("a", true)] }).safe).toBe("open");
    expect(stands({ safe, entries: [zero("a", true), zero("b", false)] }).safe).toBe("open");
    expect(stands({ safe, entries: [zero("a", true), zero("b", true)] }).safe).toBe("done");
  });
});
