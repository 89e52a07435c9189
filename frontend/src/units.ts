import type { Schemas } from "./api/client";

export type Unit = Schemas["UnitView"];

/** The units that a quantity may be entered in. */
export function unitsFor(units: Unit[], quantity: string): Unit[] {
  return units.filter((u) => u.quantities.includes(quantity));
}

/** A number as it is typed, with comma or point; NaN where it is none. */
export function typedNumber(text: string): number {
  return text.trim() === "" ? Number.NaN : Number(text.replace(",", "."));
}

export function unitsOfKind(units: Unit[], kind: string): Unit[] {
  return units.filter((u) => u.kind === kind);
}

export function fromBase(value: number, unit: Unit): number {
  return (value - unit.offset) / unit.factor;
}

/** About three figures, and never more than a gauge shows. */
export function show(value: number): string {
  const size = Math.abs(value);
  if (size >= 100) return value.toFixed(0);
  if (size >= 10) return value.toFixed(1);
  return value.toFixed(2).replace(/0$/, "");
}

/** A value in the base unit of its kind, in a unit of its size: grease runs in cm³/min. */
export function sized(value: number, kind: string, units: Unit[]): string {
  const of = unitsOfKind(units, kind);
  const unit =
    of.find((u) => u.below !== null && value !== 0 && Math.abs(value) < u.below) ?? of[0];
  return unit ? `${show(fromBase(value, unit))}\u00a0${unit.symbol}` : show(value);
}

const LIMIT = 1e8;

/** A band that may be open at an end, in words. */
export function showBand(low: number, high: number, unit: string): string {
  if (low < -LIMIT) return `at most ${show(high)} ${unit}`;
  if (high > LIMIT) return `at least ${show(low)} ${unit}`;
  return `${show(low)} … ${show(high)} ${unit}`;
}

/** Where a reading may come to lie, in words; open where nothing limits it. */
export function showOpenBand(
  low: number | null | undefined,
  high: number | null | undefined,
  unit: string,
): string {
  if (typeof low === "number" && typeof high === "number") return showBand(low, high, unit);
  return typeof low === "number"
    ? `above ${show(low)} ${unit}`
    : `under ${show(high ?? 0)} ${unit}`;
}

/** A share of the belief: nothing is ever wholly sure, and little is not nothing. */
export function percent(share: number): string {
  if (share >= 0.995) return "> 99 %";
  if (share > 0 && share < 0.005) return "< 1 %";
  return `${Math.round(share * 100)} %`;
}
