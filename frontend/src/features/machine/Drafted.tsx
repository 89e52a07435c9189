import type { Draft } from "../../api/client";
import { Notice, Select } from "../../ui/primitives";

/** States that have numbers to show. */
export const settledStates = (draft: Draft) =>
  draft.states.filter((s) => Object.keys(s.nets).length > 0);

const PRESSED_BAR = 20;
const pressed = (state: Draft["states"][number]) =>
  Object.values(state.nets).filter((n) => n.unit === "bar" && n.value > PRESSED_BAR).length;

/** The state that is shown first: the one in which most of the machine is under pressure. */
export const firstShown = (draft: Draft) =>
  settledStates(draft).reduce<Draft["states"][number] | undefined>(
    (best, s) => (best && pressed(best) >= pressed(s) ? best : s),
    undefined,
  );

interface DraftedProps {
  draft: Draft;
  /** State whose pressures the map shows. */
  state: string | null;
  onState: (id: string) => void;
  onPart: (component: string) => void;
}

/** What was found of a machine, how it runs, and what no machine of the trade does. */
export function Drafted({ draft, state, onState, onPart }: DraftedProps) {
  if (draft.pending) return <p className="p-3">Every command is tried on the machine …</p>;
  if (draft.trouble) return <Notice tone="stop">{draft.trouble}</Notice>;
  const settled = settledStates(draft);
  return (
    <div className="grid max-h-56 gap-1.5 overflow-y-auto text-sm">
      {settled.length > 0 && (
        <div className="grid grid-cols-[auto_1fr] items-center gap-3">
          <span>On the map:</span>
          <Select
            label="Map in state"
            value={state ?? ""}
            onChange={onState}
            options={settled.map((s) => ({ value: s.id, label: s.label }))}
          />
        </div>
      )}
      {draft.odd.map((odd) => (
        <Notice tone="warn" key={odd.words}>
          {odd.words}{" "}
          {odd.component && (
            <button
              type="button"
              className="min-h-8 underline"
              onClick={() => onPart(odd.component)}
            >
              to its line
            </button>
          )}
        </Notice>
      ))}
      <Notice tone="warn">
        What falls, turns, burns or holds pressure on this machine nobody has typed: keep to the
        maker's procedure and cautions, support what can fall, read zero before anything is opened.
      </Notice>
      <ul className="list-disc pl-5">
        {draft.notes.map((note) => (
          <li key={note}>{note}</li>
        ))}
      </ul>
      {draft.functions.map((f) => (
        <p key={f.id}>
          <b>{f.label}</b>: {f.moves.map((m) => m.label).join(", ")}
        </p>
      ))}
      <p className="text-soft">
        {draft.states.length} states, {draft.points.length} test points. A number that is not typed,
        or has ~ before it, is taken as known to a fifth only; what the gauges say narrows it.
      </p>
    </div>
  );
}
