/** Every word of a closed list that people see, in one place. */
export const HOW = {
  as_usual: "As usual",
  slow: "Slow",
  weak: "Weak when loaded",
  dead: "Dead",
  reversed: "Goes the other way",
  drifts: "Drifts when held",
} as const;
export type How = keyof typeof HOW;

/** Words that one move can call for at the same time. */
export const TOGETHER: readonly How[] = ["slow", "weak", "drifts"];

export const WHEN = { cold: "Cold oil", warm: "Warm oil", hot: "Hot oil" } as const;
export type When = keyof typeof WHEN;

export const OIL = {
  clear: "Clear",
  foamy: "Foamy: air",
  milky: "Milky: water",
  dark: "Dark, burnt: heat",
  metal: "Glitter or chips: metal",
} as const;
export type OilLook = keyof typeof OIL;

export const WARMTH = {
  as_usual: "As warm as ever",
  hotter: "Hotter than it did",
} as const;
export type Warmth = keyof typeof WARMTH;

export const FAMILY: Record<string, string> = {
  detour: "The oil takes a detour",
  dam: "The oil is dammed",
  source: "The source gives too little",
  command: "The command does not arrive",
  load: "The load is not what one thinks",
  gauge: "The gauge lies",
};

export const VERDICT: Record<string, { word: string; tone: "good" | "warn" | "stop" }> = {
  pass: { word: "within", tone: "good" },
  low: { word: "too low", tone: "stop" },
  high: { word: "too high", tone: "stop" },
  marginal: { word: "marginal", tone: "warn" },
};

export const ALWAYS_CAUTIONS = [
  "Never search for a leak by hand: oil under pressure goes through the skin. An injection injury is an emergency.",
  "Lower and support every raised load; read zero on a gauge before a line is opened.",
  "Gauge, hose and fittings rated above the highest pressure possible. Eye protection, hot oil, rotating shafts.",
  "The manufacturer's procedure, local rules and lock-out come first; licensed work stays with those licensed.",
];
