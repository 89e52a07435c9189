import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Entry, type EntryData, type Job, type Suspect } from "../../api/client";
import type { ShownEntry } from "../../api/outbox";
import { Button, Notice, Tag } from "../../ui/primitives";
import { showBand } from "../../units";
import { VERDICT } from "../../words";
import { Strip } from "../reading/Strip";

interface RecordPanelProps {
  job: Job;
  /** What is kept and what is on its way. */
  entries: ShownEntry[];
  suspects: Suspect[];
  onAdd: (data: EntryData, supersedes?: string) => void;
}

function ReadingStrip({ job, entry, suspects }: { job: Job; entry: Entry; suspects: Suspect[] }) {
  const strip = useQuery({
    queryKey: ["strip", entry.id, job.entries.length],
    queryFn: () => api.strip(job.id, entry.id),
    // Until it is worked out the server says so; it is asked again by itself.
    refetchInterval: (query) => (query.state.error?.message.includes("worked out") ? 1500 : false),
  });
  const titles = new Map(suspects.map((s) => [s.key, s]));
  if (strip.error) return <p className="text-sm">{strip.error.message}</p>;
  if (!strip.data) return <p className="text-sm">Computing …</p>;
  const spec = entry.verdict && {
    key: "specification",
    low: entry.verdict.low ?? -1e9,
    high: entry.verdict.high ?? 1e9,
  };
  return (
    <Strip
      unit={strip.data.unit}
      healthy={strip.data.healthy}
      specification={spec}
      value={strip.data.value}
      rows={strip.data.by_suspect.flatMap((b) => {
        const s = titles.get(b.key);
        return s ? [{ key: b.key, label: s.title, share: s.share, low: b.low, high: b.high }] : [];
      })}
    />
  );
}

function Verdict({ entry }: { entry: Entry }) {
  if (!entry.verdict) return null;
  const { word, tone } = VERDICT[entry.verdict.word] ?? { word: entry.verdict.word, tone: "warn" };
  const band = showBand(
    entry.verdict.low ?? -1e9,
    entry.verdict.high ?? 1e9,
    entry.unit_base ?? "",
  );
  return (
    <Tag tone={tone}>
      {word} · {band}
    </Tag>
  );
}

/** A reading outside its specification can be accepted with a reason; its verdict stays. */
function Accept({
  reason,
  onAccept,
}: {
  reason: string | undefined;
  onAccept: (reason: string) => void;
}) {
  const [text, setText] = useState<string | null>(null);
  if (reason !== undefined) return <p className="text-soft">Accepted: {reason}</p>;
  if (text === null) {
    return (
      <Button look="quiet" className="!px-0 text-sm" onClick={() => setText("")}>
        Accept with a reason
      </Button>
    );
  }
  return (
    <div className="flex gap-2">
      <input
        aria-label="Why it is accepted"
        className="min-h-11 min-w-0 flex-1 rounded-md border border-ink/40 bg-white px-2"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Button disabled={!text.trim()} onClick={() => onAccept(text.trim())}>
        Accept
      </Button>
    </div>
  );
}

/** The job's record: what was told, seen, read and decided; corrections stand beside what they mend. */
export function RecordPanel({ job, entries, suspects, onAdd }: RecordPanelProps) {
  const [open, setOpen] = useState<string | null>(null);
  const [note, setNote] = useState("");
  const accepted = new Map(
    entries.flatMap((e) =>
      e.standing && e.data.kind === "acceptance" ? [[e.data.reading, e.data.reason] as const] : [],
    ),
  );
  return (
    <section aria-label="Record" className="grid gap-2">
      {job.decision && (
        <Notice tone="good">
          <b>Isolated.</b> {job.decision.action}
        </Notice>
      )}
      {job.in_order && (
        <Notice tone="good">
          <b>In order.</b> {job.in_order.text}
        </Notice>
      )}
      <ol className="grid gap-1.5">
        {entries.map((entry) => (
          <li
            key={entry.id}
            className={`rounded-md border border-line bg-card px-3 py-2 text-sm ${entry.standing ? "" : "opacity-60"}`}
          >
            <div className="flex items-center justify-between gap-2">
              <span className={entry.standing ? "" : "line-through"}>
                <span className="mr-1.5 text-soft">{entry.sequence}.</span>
                {entry.words}
              </span>
              {entry.onItsWay && <Tag tone="warn">on its way</Tag>}
              {entry.standing && !entry.onItsWay && entry.data.kind !== "withdrawal" && (
                <Button
                  look="quiet"
                  className="!px-1 text-sm"
                  onClick={() => onAdd({ kind: "withdrawal", reason: "" }, entry.id)}
                >
                  Withdraw
                </Button>
              )}
            </div>
            {entry.standing && !entry.onItsWay && entry.data.kind === "reading" && (
              <div className="flex items-center justify-between gap-2">
                <Button
                  look="quiet"
                  className="!px-0 text-sm"
                  onClick={() => setOpen(open === entry.id ? null : entry.id)}
                >
                  {open === entry.id ? "Hide who agrees" : "Who agrees?"}
                </Button>
                <Verdict entry={entry} />
              </div>
            )}
            {entry.standing && entry.verdict && entry.verdict.word !== "pass" && (
              <Accept
                reason={accepted.get(entry.id)}
                onAccept={(reason) => onAdd({ kind: "acceptance", reading: entry.id, reason })}
              />
            )}
            {open === entry.id && <ReadingStrip job={job} entry={entry} suspects={suspects} />}
          </li>
        ))}
      </ol>
      <label className="grid gap-1 text-sm">
        <b>Note</b>
        <textarea
          className="min-h-14 rounded-md border border-ink/40 bg-white p-2"
          value={note}
          onChange={(e) => setNote(e.target.value)}
        />
      </label>
      <Button
        disabled={!note.trim()}
        onClick={() => {
          onAdd({ kind: "note", text: note.trim() });
          setNote("");
        }}
      >
        Add the note
      </Button>
    </section>
  );
}
