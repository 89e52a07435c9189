import type { MachineState, Schematic } from "../../api/client";
import { typedNumber } from "../../units";

type Standing = MachineState & Required<Pick<MachineState, "moves" | "loads" | "interventions">>;
type Kit = Standing["interventions"];
type Load = Schematic["functions"][number]["loads"][number];

/** What is told differently from a named state; nothing where the named state's own holds. */
export interface Told {
  engine?: string;
  oil?: string;
  /** Function to its move, "" for a lever in neutral. */
  moves?: Record<string, string>;
  loads?: Record<string, Load>;
  /** Test point to what stands in the line there: nothing, a cap, or a meter with its load. */
  kit?: Record<string, KitTold>;
}
export interface KitTold {
  kind: "" | "cap" | "inline_flow";
  loadBar: string;
}

export const LOAD_WORDS: Record<Load, string> = {
  free: "moves light",
  working: "under load",
  stalled: "against its stop",
  held: "load held",
};

/** A state with everything that may be left out of its document. */
export const standing = (state: MachineState): Standing => ({
  moves: {},
  loads: {},
  interventions: [],
  ...state,
});

const METHODS = ["cap", "inline_flow"] as const;

/** Test points where a cap or a meter can stand in the line, and which of them. */
export function kitPlaces(schematic: Schematic) {
  return schematic.test_points
    .map((p) => ({ point: p, kinds: METHODS.filter((m) => p.methods.includes(m)) }))
    .filter((p) => p.kinds.length > 0);
}

function engineOf(named: MachineState, typed: string): MachineState["engine"] {
  if (typed === "") return named.engine;
  const rpm = typedNumber(typed);
  return (Number.isNaN(rpm) ? typed : rpm) as MachineState["engine"];
}

/** Moves and loads as told; a load that only goes with a move is left to the core. */
function levers(named: Standing, told: Told) {
  const moves = { ...named.moves };
  const loads = { ...named.loads };
  for (const [id, move] of Object.entries(told.moves ?? {})) {
    if (move === "") delete moves[id];
    else moves[id] = move;
    if (!(id in (told.loads ?? {}))) delete loads[id];
  }
  Object.assign(loads, told.loads);
  return { moves, loads };
}

/** Shop kit as told; null where the load of a meter is no number. */
function kitOf(named: Standing, told: Told): Kit | null {
  const kit = new Map(named.interventions.map((i) => [i.point, i]));
  for (const [point, { kind, loadBar }] of Object.entries(told.kit ?? {})) {
    if (kind === "") {
      kit.delete(point);
      continue;
    }
    const load = kind === "cap" || loadBar.trim() === "" ? 0 : typedNumber(loadBar);
    if (!(load >= 0)) return null;
    kit.set(point, { point, kind, load_bar: load });
  }
  return [...kit.values()];
}

function differences(schematic: Schematic, named: Standing, state: Standing): string[] {
  const words = [];
  if (String(state.engine) !== String(named.engine))
    words.push(`engine ${state.engine}${typeof state.engine === "number" ? " rpm" : ""}`);
  if (state.oil_c !== named.oil_c) words.push(`oil ${state.oil_c} °C`);
  for (const f of schematic.functions) {
    const move = state.moves[f.id];
    const said = f.moves.find((m) => m.id === move)?.label ?? "lever in neutral";
    const load = state.loads[f.id];
    const moved = move !== named.moves[f.id];
    if (moved || load !== named.loads[f.id])
      words.push(`${f.label} ${said}${load ? `, ${LOAD_WORDS[load]}` : ""}`);
  }
  for (const p of schematic.test_points) {
    const of = (s: Standing) => s.interventions.find((i) => i.point === p.id);
    const [now, before] = [of(state), of(named)];
    if (now?.kind === before?.kind && now?.load_bar === before?.load_bar) continue;
    if (!now) words.push(`nothing in line at ${p.label}`);
    else if (now.kind === "cap") words.push(`${p.label} capped`);
    else words.push(`meter at ${p.label}${now.load_bar ? `, loaded to ${now.load_bar} bar` : ""}`);
  }
  return words;
}

/**
 * A named state as it is (its id), or with what is told differently.
 *
 * Null where something told is no number.
 */
export function stateWith(
  schematic: Schematic,
  id: string,
  told: Told,
): string | MachineState | null {
  const document = schematic.states.find((s) => s.id === id)?.document;
  // What is read in time passes through several states: it is read as it is described.
  if (!document) return id;
  const named = standing(document);
  const oil = (told.oil ?? "").trim();
  const oilC = oil === "" ? named.oil_c : typedNumber(oil);
  const interventions = kitOf(named, told);
  if (!Number.isFinite(oilC) || interventions === null) return null;
  const engine = engineOf(named, (told.engine ?? "").trim());
  const state = { ...named, engine, oil_c: oilC, ...levers(named, told), interventions };
  const words = differences(schematic, named, state);
  if (words.length === 0) return id;
  return { ...state, label: [named.label, ...words].join("; ").slice(0, 400) };
}
