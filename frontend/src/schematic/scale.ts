/** Colour of a pressure: one hue path whose lightness falls evenly, so it reads in grey as well. */
const STOPS: [number, number, number][] = [
  [168, 178, 184],
  [104, 160, 190],
  [45, 121, 170],
  [54, 72, 150],
  [68, 24, 104],
  [40, 4, 40],
];

export const SCALE_TOP_BAR = 250;

export function pressureColour(bar: number): string {
  const t = Math.sqrt(Math.min(Math.max(bar / SCALE_TOP_BAR, 0), 1)) * (STOPS.length - 1);
  const low = Math.min(Math.floor(t), STOPS.length - 2);
  const a = STOPS[low] ?? [0, 0, 0];
  const b = STOPS[low + 1] ?? [0, 0, 0];
  const mix = a.map((v, i) => Math.round(v + (t - low) * ((b[i] ?? v) - v)));
  return `rgb(${mix.join(" ")})`;
}

/** One decimal; what rounds to nothing has no sign. */
const oneDecimal = (value: number) => (Math.abs(value) < 0.05 ? "0.0" : value.toFixed(1));

export function formatPressure(bar: number): string {
  return Math.abs(bar) < 9.95 ? oneDecimal(bar) : bar.toFixed(0);
}

/** A net's value with its unit, as short as a badge on the map allows. */
export function formatNet(net: { value: number; unit: string }): string {
  const value = net.unit === "V" ? oneDecimal(net.value) : formatPressure(net.value);
  return `${value} ${net.unit}`;
}
