/** The text of a parts-and-joins list: where its lines are, and what a new one looks like. */
import type { PartType } from "../../api/client";

export const EXAMPLE = `machine "Log splitter" kind="log splitter"
oil HVLP46 46 7.9
engine engine "Engine" idle=1200 rated=3000 max=3300

tank   reservoir          tank=tank suction=tank_out
drive  drive_coupling     driver=engine driven=shaft
pump   fixed_pump         inlet=tank_out outlet=p shaft=shaft displacement_cm3=11
relief relief_valve       inlet=p outlet=return set_bar=190
valve  directional_valve  P=p T=return A=cap B=ring centre_k=16 lever=spool
lever  lever_linkage      spool=spool
ram    cylinder           A=cap B=ring rod=wedge bore_mm=90 rod_mm=50
wedge  mechanical_load    rod=wedge
filter return_filter      inlet=return outlet=tank
`;

/** Where a line begins, counted from one; the end of the text where there is none. */
export function lineStart(text: string, line: number): number {
  let at = 0;
  for (let n = 1; n < line; n += 1) {
    const end = text.indexOf("\n", at);
    if (end < 0) return text.length + 1;
    at = end + 1;
  }
  return at;
}

/** A new line for a type: a name that is free, and every port waiting for its net. */
export function lineFor(type: PartType, text: string): string {
  const names = new Set(text.split("\n").map((line) => line.trim().split(/\s+/)[0]));
  const base = type.name.split("_").at(-1) ?? type.name;
  let name = base;
  for (let n = 2; names.has(name); n += 1) name = `${base}_${n}`;
  const wanted = type.ports.filter((port) => !type.optional.includes(port));
  return `${name} ${type.name} ${wanted.map((port) => `${port}=?`).join(" ")}`;
}

/** A line put below the one the cursor is in; its first open join is what is typed next. */
export function insertLine(
  text: string,
  cursor: number,
  line: string,
): { text: string; from: number; to: number } {
  const end = text.indexOf("\n", cursor);
  const at = end < 0 ? text.length : end;
  const glue = at === 0 || (end < 0 && text.endsWith("\n")) ? "" : "\n";
  const made = `${text.slice(0, at)}${glue}${line}${text.slice(at) || "\n"}`;
  const open = made.indexOf("=?", at);
  const from = open < 0 ? at + glue.length + line.length : open + 1;
  return { text: made, from, to: open < 0 ? from : from + 1 };
}

/** The type of the line the cursor is in, and which of its numbers stand there already. */
export function partAt(
  text: string,
  cursor: number,
  types: PartType[],
): { type: PartType; given: Set<string>; end: number } | null {
  const from = text.lastIndexOf("\n", cursor - 1) + 1;
  const next = text.indexOf("\n", cursor);
  const end = next < 0 ? text.length : next;
  const line = text.slice(from, end).split("#")[0] ?? "";
  const type = types.find((t) => t.name === line.trim().split(/\s+/)[1]);
  if (!type) return null;
  const given = new Set([...line.matchAll(/([\w.]+)=/g)].map((found) => found[1] ?? ""));
  return { type, given, end: from + line.trimEnd().length };
}
