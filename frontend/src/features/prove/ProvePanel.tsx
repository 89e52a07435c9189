import { useState } from "react";
import { Link } from "react-router";
import {
  api,
  type EntryData,
  type Job,
  type Reading,
  type Schematic,
  type Step,
  type Workshop,
} from "../../api/client";
import type { ShownEntry } from "../../api/outbox";
import { Button, Notice, Tag } from "../../ui/primitives";
import { show } from "../../units";
import { VERDICT } from "../../words";
import { ReadingPad } from "../reading/ReadingPad";
import { proofsOf, type ReadingEntry, standOfProof } from "./proofs";

/** What was read and how it stands against the specification. */
export function Value({ entry }: { entry: ReadingEntry }) {
  const verdict = entry.verdict && VERDICT[entry.verdict.word];
  const value = entry.value_base ?? entry.data.value;
  return (
    <span className="whitespace-nowrap">
      <b>
        {show(value)} {entry.unit_base ?? entry.data.unit}
      </b>{" "}
      {verdict && <Tag tone={verdict.tone}>{verdict.word}</Tag>}
    </span>
  );
}

/** A step that asks for a reading once more, as it was taken. */
export function again(entry: ReadingEntry, schematic: Schematic): Step {
  const { data } = entry;
  const byWatch = data.quantity === "time_s";
  const named = typeof data.state === "string" ? data.state : "";
  const point = schematic.test_points.find((p) => p.id === data.point);
  const moved = schematic.functions.find((f) => f.id === data.point);
  return {
    kind: "reading",
    point: data.point,
    point_label: point?.label ?? moved?.label ?? data.point,
    quantity: byWatch ? "speed_mm_s" : data.quantity,
    quantity_label: data.quantity.split("_")[0] ?? "",
    unit: entry.unit_base ?? data.unit,
    state: named,
    state_label: schematic.states.find((s) => s.id === named)?.label ?? named,
    minutes: 0,
    bits: 0,
    healthy: null,
    specification: null,
    by_suspect: [],
    outcomes: [],
    curve_of: schematic.curve_of[data.point] ?? [],
    hazards: [],
    cautions: [],
    fitting: "",
    instrument: data.instrument ?? "",
    instrument_label: "",
    highest_bar: null,
    worth: 0,
    refused: "",
  } as unknown as Step;
}

interface ProvePanelProps {
  job: Job;
  entries: ShownEntry[];
  workshop: Workshop;
  schematic: Schematic;
  conditions: (state: string) => string;
  onAdd: (data: EntryData) => void;
  onDoubt: (reading: Reading) => Promise<string[]>;
}

function RepairForm({ job, onAdd }: Pick<ProvePanelProps, "job" | "onAdd">) {
  const made = job.decision;
  const [text, setText] = useState(made?.action ?? "");
  if (!made) return null;
  return (
    <div className="grid gap-2 rounded-md border border-line bg-card px-3 py-2">
      <label className="grid gap-1 text-sm">
        <b>What was done</b>
        <textarea
          className="min-h-20 rounded-md border border-ink/40 bg-white px-2 py-1"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      <Button
        look="main"
        disabled={!text.trim()}
        onClick={() =>
          onAdd({ kind: "repair", component: made.component, mode: made.mode, text: text.trim() })
        }
      >
        The repair is done: prove it
      </Button>
    </div>
  );
}

/** After the decision: the repair, then what failed read again beside what it was. */
export function ProvePanel(props: ProvePanelProps) {
  const { job, entries, workshop, schematic, conditions, onAdd, onDoubt } = props;
  const [reading, setReading] = useState<string | null>(null);
  if (!job.decision) return null;
  const { repaired, proofs } = proofsOf(entries);
  if (!repaired) return <RepairForm job={job} onAdd={onAdd} />;
  const asked = proofs.find((p) => p.before.id === reading);
  if (asked) {
    const step = again(asked.before, schematic);
    return (
      <ReadingPad
        step={step}
        workshop={workshop}
        conditions={conditions(step.state)}
        rows={[]}
        onKeep={(data) => {
          setReading(null);
          onAdd(data);
        }}
        onDoubt={onDoubt}
        onCurve={(text, unit) => api.recorded(job.circuit_revision, step.point, text, unit)}
        onCancel={() => setReading(null)}
      />
    );
  }
  const stand = standOfProof(proofs);
  const moves = schematic.functions.flatMap((f) => f.moves.map((m) => `${f.id}.${m.id}`));
  const told = new Map(
    entries.flatMap((e) =>
      e.standing && e.sequence > repaired.sequence && e.data.kind === "behaviour"
        ? [[`${e.data.function}.${e.data.move}`, e.data.how] as const]
        : [],
    ),
  );
  const wrong = [...told.values()].filter((how) => how !== "as_usual").length;
  return (
    <section aria-label="Prove" className="grid gap-2">
      <div role="status">
        {stand.contradicting.length || wrong ? (
          <Notice tone="stop">
            <b>The proof contradicts the decision.</b> The job goes on with what is known of the
            machine as it is now: see the next step.
          </Notice>
        ) : stand.open.length ? (
          <Notice tone="warn">
            <b>Not proved yet.</b> {stand.open.length} of {stand.failed.length} readings that failed
            are to be taken again: same state, same instrument.
          </Notice>
        ) : told.size < moves.length ? (
          <Notice tone="warn">
            <b>Readings are within.</b> {told.size} of {moves.length} moves were tried since the
            repair.
          </Notice>
        ) : (
          <Notice tone="good">
            <b>Proved.</b> What failed is within, and every move is as usual.
          </Notice>
        )}
      </div>
      <ul className="grid gap-1.5">
        {proofs.map((p) => (
          <li
            key={p.before.id}
            className="grid gap-1 rounded-md border border-line bg-card px-3 py-2 text-sm"
          >
            <span>{p.before.words}</span>
            <span className="flex flex-wrap items-center gap-x-2 gap-y-1">
              <Value entry={p.before} />
              <span aria-hidden="true">→</span>
              {p.after ? <Value entry={p.after} /> : <span>not read again</span>}
            </span>
            <Button onClick={() => setReading(p.before.id)}>
              {p.after ? "Read once more" : "Read again"}
            </Button>
          </li>
        ))}
      </ul>
      <Link
        to={`/jobs/${job.id}/complaint`}
        className="grid min-h-11 place-items-center rounded-md border border-ink/40 bg-card px-4 font-semibold"
      >
        Try every function: {told.size} of {moves.length} moves told
      </Link>
    </section>
  );
}
