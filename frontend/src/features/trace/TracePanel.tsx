import type { CircuitTrace, MoveTrace, Schematic, Station } from "../../api/client";
import type { ShownEntry } from "../../api/outbox";
import { Notice, Select } from "../../ui/primitives";
import { percent, sized, type Unit } from "../../units";
import { sinceRepair } from "../prove/epoch";

/** Parts and nets that a traced move lights up on the map. */
export interface Lit {
  parts: ReadonlySet<string>;
  nets: ReadonlySet<string>;
}

export const moveKey = (m: Pick<MoveTrace, "function" | "move">) => `${m.function}.${m.move}`;

/** The ways of a move as the map lights them: its parts, and the lines between them. */
export function litBy(move: MoveTrace, schematic: Schematic): Lit {
  const parts = new Map(schematic.parts.map((p) => [p.id, p]));
  const nets = new Set<string>();
  for (const s of [...move.pressure, ...move.returning]) {
    for (const port of parts.get(s.component)?.ports ?? []) {
      if (port.name === s.entered_by || port.name === s.left_by) nets.add(port.net);
    }
  }
  for (const s of move.signals) {
    const port = parts.get(s.component)?.ports.find((p) => p.name === s.port);
    if (port) nets.add(port.net);
  }
  return { parts: new Set(move.parts), nets };
}

/** What was last said of each move: those that fail, and those that work. */
export function complaintOf(entries: ShownEntry[]): { bad: Set<string>; good: Set<string> } {
  // Cold and hot, a move is another one; told and then seen for oneself, it is the same.
  const last = new Map<string, { move: string; how: string }>();
  for (const { data, standing } of sinceRepair(entries)) {
    if (!standing || data.kind !== "behaviour") continue;
    const move = `${data.function}.${data.move}`;
    last.set(`${move} ${data.when}`, { move, how: data.how });
  }
  const bad = new Set<string>();
  const good = new Set<string>();
  for (const { move, how } of last.values()) (how === "as_usual" ? good : bad).add(move);
  return { bad, good };
}

/** The named state in which this move alone is made, the lightest first. */
export function stateOf(move: MoveTrace, schematic: Schematic): string | null {
  const alone = schematic.states.filter(
    (s) =>
      s.engine !== "off" &&
      Object.keys(s.moves).length === 1 &&
      s.moves[move.function] === move.move,
  );
  return (alone.find((s) => s.engine === "rated") ?? alone[0])?.id ?? null;
}

const number = (value: number) => (Math.abs(value) < 0.05 ? "0.0" : value.toFixed(1));

interface Row {
  component: string;
  label: string;
  moves: ReadonlySet<string>;
  score: number;
}

/** Parts, what the failing moves share and the working ones do not first. */
export function sharedRows(
  trace: CircuitTrace,
  bad: ReadonlySet<string>,
  good: ReadonlySet<string>,
): Row[] {
  const share = (moves: string[], of: ReadonlySet<string>) =>
    of.size ? moves.filter((m) => of.has(m)).length / of.size : 0;
  return trace.parts
    .map((p) => ({
      component: p.component,
      label: p.label,
      moves: new Set(p.moves),
      score: share(p.moves, bad) - share(p.moves, good),
    }))
    .sort((a, b) => b.score - a.score || b.moves.size - a.moves.size);
}

function Way({
  title,
  stations,
  units,
  onSelect,
}: {
  title: string;
  stations: Station[];
  units: Unit[];
  onSelect: (part: string) => void;
}) {
  if (!stations.length) return null;
  return (
    <div>
      <h3 className="font-bold text-sm">{title}</h3>
      <ol>
        {stations.map((s) => (
          <li key={s.component} className="border-line border-t first:border-t-0">
            <button
              type="button"
              className="grid min-h-11 w-full grid-cols-[1fr_auto] items-center gap-x-3 py-1 text-left text-sm"
              onClick={() => onSelect(s.component)}
            >
              <span className="font-semibold">{s.label}</span>
              <span className="tabular-nums">
                {number(s.after_bar)} bar · {sized(s.flow_lpm, "flow", units)}
              </span>
              {(s.held_by.length > 0 || Math.abs(s.before_bar - s.after_bar) > 1) && (
                <span className="col-span-2 text-soft">
                  {s.entered_by &&
                    s.left_by &&
                    s.before_bar - s.after_bar > 1 &&
                    `takes ${(s.before_bar - s.after_bar).toFixed(1)} bar. `}
                  {s.held_by.length > 0 && `Held by ${s.held_by.join(", ")}.`}
                </span>
              )}
            </button>
          </li>
        ))}
      </ol>
    </div>
  );
}

function Matrix({
  trace,
  entries,
  suspicion,
  onSelect,
}: {
  trace: CircuitTrace;
  entries: ShownEntry[];
  suspicion: Map<string, number>;
  onSelect: (part: string) => void;
}) {
  const { bad, good } = complaintOf(entries);
  const rows = sharedRows(trace, bad, good);
  const tone = (key: string) =>
    bad.has(key) ? "bg-stop-soft text-stop" : good.has(key) ? "bg-good-soft text-good" : "";
  return (
    <div className="overflow-x-auto">
      <table className="w-full border-collapse text-sm">
        <caption className="pb-1 text-left">
          <b>Parts against moves.</b>{" "}
          {bad.size
            ? "What the failing moves share and the others do not stands on top."
            : "Nothing fails so far; what most moves need stands on top."}
        </caption>
        <thead>
          <tr>
            <th scope="col" className="text-left align-bottom">
              Part
            </th>
            {trace.moves.map((m) => (
              <th
                key={moveKey(m)}
                scope="col"
                className={`h-32 w-7 border border-line align-bottom font-semibold ${tone(moveKey(m))}`}
              >
                <span className="inline-block rotate-180 whitespace-nowrap [writing-mode:vertical-rl]">
                  {m.label}
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const share = suspicion.get(row.component) ?? 0;
            return (
              <tr key={row.component}>
                <th scope="row" className="border-line border-t p-0 text-left font-normal">
                  <button
                    type="button"
                    className="min-h-9 w-full pr-2 text-left"
                    onClick={() => onSelect(row.component)}
                  >
                    {row.label}
                    {share >= 0.01 && <b className="ml-1 text-suspect">{percent(share)}</b>}
                  </button>
                </th>
                {trace.moves.map((m) => (
                  <td
                    key={moveKey(m)}
                    className={`border border-line text-center ${row.moves.has(moveKey(m)) ? tone(moveKey(m)) : ""}`}
                  >
                    {row.moves.has(moveKey(m)) ? "●" : ""}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

/** The ways of one move, and what moves share. */
export function TracePanel({
  trace,
  entries,
  suspicion,
  chosen,
  onChoose,
  onSelect,
  units,
}: {
  trace: CircuitTrace;
  entries: ShownEntry[];
  suspicion: Map<string, number>;
  chosen: MoveTrace | undefined;
  onChoose: (key: string) => void;
  onSelect: (part: string) => void;
  units: Unit[];
}) {
  return (
    <section aria-label="Trace" className="grid gap-3">
      <Select
        label="Move traced"
        value={chosen ? moveKey(chosen) : ""}
        onChange={onChoose}
        options={trace.moves.map((m) => ({ value: moveKey(m), label: m.label }))}
      />
      {chosen && !chosen.known && (
        <Notice tone="warn">
          The machine finds no steady state in this move: no way is shown.
        </Notice>
      )}
      {chosen?.known && (
        <>
          <p className="text-soft text-sm">
            Computed at rated speed, 50 °C, without a load, on a machine in order.
            {chosen.contacts.length > 0 && ` Set: ${chosen.contacts.join("; ")}.`}
            {chosen.coils.length > 0 && ` Coils on: ${chosen.coils.join("; ")}.`}
          </p>
          <Way
            title="To the actuator"
            stations={chosen.pressure}
            units={units}
            onSelect={onSelect}
          />
          <Way title="Back" stations={chosen.returning} units={units} onSelect={onSelect} />
          {chosen.signals.length > 0 && (
            <div>
              <h3 className="font-bold text-sm">Pilot and demand</h3>
              <ul className="text-sm">
                {chosen.signals.map((s) => (
                  <li key={`${s.component}.${s.port}`}>
                    {s.label}, {s.port}: {s.neutral_bar.toFixed(0)} → {s.bar.toFixed(0)} bar
                  </li>
                ))}
              </ul>
            </div>
          )}
          {chosen.drains.length > 0 && (
            <div>
              <h3 className="font-bold text-sm">Drains</h3>
              <ul className="text-sm">
                {chosen.drains.map((d) => (
                  <li key={`${d.component}.${d.port}`}>
                    {d.label}, {d.port}: {sized(d.flow_lpm, "flow", units)}
                  </li>
                ))}
              </ul>
            </div>
          )}
        </>
      )}
      <Matrix trace={trace} entries={entries} suspicion={suspicion} onSelect={onSelect} />
      {trace.neutral.length > 0 && (
        <details className="rounded-md border border-line bg-card px-3 py-2 text-sm">
          <summary className="min-h-6 cursor-pointer font-semibold">
            Where the oil goes while nothing is called for
          </summary>
          <Way title="" stations={trace.neutral} units={units} onSelect={onSelect} />
        </details>
      )}
    </section>
  );
}
