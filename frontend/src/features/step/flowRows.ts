import type { FlowCurve, MachineState, Reading, Schematic } from "../../api/client";
import { typedNumber, type Unit } from "../../units";
import { standing } from "./onTheSpot";

/** A row as it is typed: the pressure the meter was loaded to, and the flow it showed. */
export interface FlowRow {
  bar: string;
  flow: string;
}

/** Rows that were pasted: two numbers in each line, pressure and flow, whatever parts them. */
export function rowsOf(text: string): FlowRow[] {
  return text
    .split("\n")
    .map((line) => line.trim().split(/[\s;|]+/))
    .filter(([bar, flow]) => bar && flow && isNumber(bar) && isNumber(flow))
    .map(([bar = "", flow = ""]) => ({ bar, flow }));
}

const isNumber = (text: string) => Number.isFinite(typedNumber(text));

/** The reading at a pressure: one of the curve's own, or its meter loaded to another. */
function readingAt(curve: FlowCurve, schematic: Schematic, bar: number): Reading | null {
  const own = curve.loads_bar.indexOf(bar);
  const template = curve.steps[Math.max(own, 0)]?.reading;
  if (!template || own >= 0) return template ?? null;
  const document =
    typeof template.state === "string"
      ? schematic.states.find((s) => s.id === template.state)?.document
      : template.state;
  if (!document) return null;
  const named = standing(document as MachineState);
  const interventions = named.interventions.map((i) =>
    i.point === template.point && i.kind === "inline_flow" ? { ...i, load_bar: bar } : i,
  );
  const [label] = named.label.split("; meter loaded");
  return {
    ...template,
    state: { ...named, interventions, label: `${label}; meter loaded to ${bar} bar` },
  };
}

/** Readings of all rows that are filled in; what is wrong with the first that cannot be one. */
export function readingsOf(
  curve: FlowCurve,
  schematic: Schematic,
  rows: FlowRow[],
  unit: Unit,
  instrument: string | null,
): { readings: Reading[]; wrong: string | null } {
  const readings: Reading[] = [];
  const seen = new Set<number>();
  for (const row of rows) {
    if (row.flow.trim() === "") continue;
    const [bar, flow] = [typedNumber(row.bar), typedNumber(row.flow)];
    const wrong = (words: string) => ({ readings: [], wrong: words });
    if (!(bar >= 0 && bar <= 600)) return wrong(`“${row.bar}” is no pressure from 0 to 600 bar`);
    if (!Number.isFinite(flow)) return wrong(`“${row.flow}” is no flow`);
    if (seen.has(bar)) return wrong(`${bar} bar stands there twice`);
    seen.add(bar);
    const reading = readingAt(curve, schematic, bar);
    if (!reading) return wrong("the meter's state is not known");
    readings.push({ ...reading, id: "new", value: flow, unit: unit.symbol, instrument });
  }
  return { readings, wrong: null };
}
