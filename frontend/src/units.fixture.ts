import type { Unit } from "./units";

const unit = (symbol: string, kind: string, factor = 1, below: number | null = null): Unit => ({
  symbol,
  kind,
  factor,
  offset: 0,
  below,
  quantities: kind === "pressure" ? ["pressure_bar"] : [],
});

/** Some of the server's units, for tests. */
export const UNITS: Unit[] = [
  unit("bar", "pressure"),
  unit("psi", "pressure", 0.0689475729),
  { ...unit("°F", "temperature", 5 / 9), offset: -160 / 9 },
  unit("L/min", "flow"),
  unit("cm³/min", "flow", 1e-3, 0.1),
  unit("L", "volume"),
  unit("cm³", "volume", 1e-3, 0.1),
];
