import { useState } from "react";
import { Link } from "react-router";
import {
  api,
  type EntryData,
  type Job,
  type Proof,
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
import { repairsOf, sinceRepair } from "./epoch";
import type { ReadingEntry } from "./proofs";

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
  const { state } = data;
  const named = typeof state === "string" ? state : "";
  const label = typeof state === "string" ? undefined : state.label;
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
    state_label: label ?? schematic.states.find((s) => s.id === named)?.label ?? named,
    // A state put together on the spot has no name: it goes along whole.
    reading: data,
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
  /** How far the last repair is proved; nothing until it is known. */
  proof: Proof | null;
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

const WHY = {
  complaint: "complained of",
  outside: "outside its specification",
  spoke: "spoke for the part",
} as const;
const SHOWN = {
  open: { word: "not shown again", tone: "warn" },
  not_known: { word: "not known what a sound machine shows", tone: "warn" },
  sound: { word: "as a sound machine", tone: "good" },
  not_sound: { word: "not as a sound machine", tone: "stop" },
} as const;
const TONE = { proved: "good", open: "warn", contradicted: "stop" } as const;

type Again = Proof["asked"][number];

function AgainCard({
  asked,
  entries,
  complaint,
  onRead,
  onAdd,
}: {
  asked: Again;
  entries: Map<string, ShownEntry>;
  complaint: string;
  onRead: (entry: ReadingEntry) => void;
  onAdd: (data: EntryData) => void;
}) {
  const before = entries.get(asked.before);
  const after = asked.after === null ? undefined : entries.get(asked.after);
  const read = before?.data.kind === "reading" ? (before as ReadingEntry) : null;
  return (
    <li className="grid gap-1 rounded-md border border-line bg-card px-3 py-2 text-sm">
      <span>
        <b>{asked.words}</b> <span className="text-soft">· {WHY[asked.why]}</span>
      </span>
      <span className="flex flex-wrap items-center gap-x-2 gap-y-1">
        {read && <Value entry={read} />}
        {read && <span aria-hidden="true">→</span>}
        {after && (read ? <Value entry={after as ReadingEntry} /> : <span>{after.words}</span>)}
        <Tag tone={SHOWN[asked.shown].tone}>{SHOWN[asked.shown].word}</Tag>
      </span>
      {read && (
        <Button onClick={() => onRead(read)}>{after ? "Read once more" : "Read again"}</Button>
      )}
      {asked.why === "complaint" && (
        <Link
          to={complaint}
          className="grid min-h-11 place-items-center rounded-md border border-ink/40 bg-card px-4 font-semibold"
        >
          Try it again
        </Link>
      )}
      {!read && asked.answers.length > 0 && (
        <fieldset className="grid gap-1" aria-label={`Look again: ${asked.words}`}>
          {asked.answers.map((answer) => (
            <Button key={answer.words} onClick={() => onAdd(answer.entry)}>
              {answer.words}
            </Button>
          ))}
        </fieldset>
      )}
    </li>
  );
}

/** After the decision: the repair, then what made the case shown again beside what it was. */
export function ProvePanel(props: ProvePanelProps) {
  const { job, entries, proof, workshop, schematic, conditions, onAdd, onDoubt } = props;
  const [reading, setReading] = useState<ReadingEntry | null>(null);
  if (!job.decision) return null;
  const repaired = repairsOf(entries).at(-1);
  if (!repaired) return <RepairForm job={job} onAdd={onAdd} />;
  if (reading) {
    const step = again(reading, schematic);
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
  const byId = new Map(entries.map((e) => [e.id, e]));
  const complaint = `/jobs/${job.id}/complaint`;
  const moves = schematic.functions.flatMap((f) => f.moves.map((m) => `${f.id}.${m.id}`));
  const told = new Set(
    sinceRepair(entries).flatMap((e) =>
      e.standing && e.data.kind === "behaviour" ? [`${e.data.function}.${e.data.move}`] : [],
    ),
  );
  return (
    <section aria-label="Prove" className="grid gap-2">
      <div role="status">
        <Notice tone={proof ? TONE[proof.word] : "warn"}>
          <b>{proof?.words ?? "Repaired, not proved: what is to be shown again is worked out."}</b>
          {proof?.word === "contradicted" &&
            " The job goes on with what is known of the machine as it is now: see the next step."}
        </Notice>
      </div>
      <ul className="grid gap-1.5">
        {proof?.asked.map((asked) => (
          <AgainCard
            key={asked.before}
            asked={asked}
            entries={byId}
            complaint={complaint}
            onRead={setReading}
            onAdd={onAdd}
          />
        ))}
      </ul>
      <Link
        to={complaint}
        className="grid min-h-11 place-items-center rounded-md border border-ink/40 bg-card px-4 font-semibold"
      >
        Try every function: {told.size} of {moves.length} moves told
      </Link>
    </section>
  );
}
