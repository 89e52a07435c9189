import { useState } from "react";
import type { EntryData, Reading, RecordedCurve, Step, Workshop } from "../../api/client";
import { Button, Notice } from "../../ui/primitives";
import { fromBase, show, type Unit, unitsFor } from "../../units";
import { outOfDate } from "../shop/kit";
import { Keypad } from "./Keypad";
import { PastedCurve } from "./PastedCurve";
import { Stopwatch } from "./Stopwatch";
import { Strip, type StripRow } from "./Strip";

interface ReadingPadProps {
  step: Step;
  workshop: Workshop;
  conditions: string;
  rows: StripRow[];
  onKeep: (data: EntryData) => void;
  /** What speaks against a reading before it is kept. */
  onDoubt: (reading: Reading) => Promise<string[]>;
  /** What a recorded curve tells of this step. */
  onCurve: (text: string, unit: string) => Promise<RecordedCurve>;
  onCancel: () => void;
}

const WATCH = "time_s";
/** A reading is never held up longer than this by being questioned. */
const DOUBT_MS = 700;

/** Take one reading: large keys, the gauge's own unit, the conditions of the step, repeats. */
export function ReadingPad({
  step,
  workshop,
  conditions,
  rows,
  onKeep,
  onDoubt,
  onCurve,
  onCancel,
}: ReadingPadProps) {
  const byWatch = step.quantity === "speed_mm_s";
  const [timed, setTimed] = useState(byWatch);
  const quantity = timed ? WATCH : step.quantity;
  const choices: Unit[] = unitsFor(workshop.units, quantity);
  const gauge = workshop.instruments.find((i) => i.id === step.instrument);
  const [symbol, setSymbol] = useState(gauge?.unit ?? choices[0]?.symbol ?? "");
  const unit = choices.find((u) => u.symbol === symbol) ?? choices[0];
  const [text, setText] = useState("");
  const [taken, setTaken] = useState<number[]>([]);
  const [curve, setCurve] = useState<RecordedCurve | null>(null);
  const typed = Number.parseFloat(text);
  const valid = text !== "" && Number.isFinite(typed);
  const all = valid ? [...taken, typed] : taken;
  const mean = all.length ? all.reduce((a, b) => a + b, 0) / all.length : null;
  const base = mean === null || !unit || timed ? null : mean * unit.factor + unit.offset;

  const [doubts, setDoubts] = useState<{ about: string; words: string[] } | null>(null);
  const [asking, setAsking] = useState(false);
  const about = `${all.join()} ${unit?.symbol}`;
  const doubted = doubts?.about === about ? doubts.words : [];

  const keep = async () => {
    const [first, ...repeats] = all;
    if (first === undefined || !unit) return;
    const reading: Reading = {
      kind: "reading",
      id: "new",
      point: step.point,
      quantity: quantity as "pressure_bar",
      // A state put together on the spot has no name: it goes along whole.
      state: step.reading?.state ?? step.state,
      value: first,
      repeats,
      unit: unit.symbol,
      instrument: gauge?.id ?? null,
      // Who types another number after it means that one.
      recorded: curve && shownOf(curve) === text ? curve.recorded : null,
    };
    if (!doubted.length) {
      setAsking(true);
      const words = await Promise.race([
        onDoubt(reading).catch(() => []),
        new Promise<string[]>((resolve) => setTimeout(() => resolve([]), DOUBT_MS)),
      ]);
      setAsking(false);
      if (words.length) {
        setDoubts({ about, words });
        return;
      }
    }
    onKeep(reading);
  };

  return (
    <section aria-label="Reading" className="grid gap-3">
      <div>
        <p className="font-bold">
          {step.point_label}: {step.quantity_label}
        </p>
        <p className="text-sm">{step.state_label}</p>
        {conditions && <p className="text-sm">{conditions}</p>}
        {gauge && <p className="text-sm text-soft">{gauge.label}</p>}
        {gauge && outOfDate(gauge, new Date()) && (
          <p className="text-sm text-warn">{outOfDate(gauge, new Date())}</p>
        )}
      </div>
      <div className="flex items-stretch gap-2">
        <output
          aria-label="Value"
          className="flex min-h-14 flex-1 items-center justify-end rounded-md border-2 border-ink bg-white px-3 font-bold text-3xl"
        >
          {text || "–"}
        </output>
        <fieldset className="flex gap-1" aria-label="Unit">
          {choices.map((u) => (
            <Button
              key={u.symbol}
              look={u.symbol === unit?.symbol ? "chosen" : "plain"}
              aria-pressed={u.symbol === unit?.symbol}
              onClick={() => setSymbol(u.symbol)}
            >
              {u.symbol}
            </Button>
          ))}
        </fieldset>
      </div>
      {byWatch && (
        <Button look="quiet" onClick={() => setTimed(!timed)}>
          {timed ? "Enter a speed instead" : "Enter the stroke's time instead"}
        </Button>
      )}
      {unit?.symbol === "s" && <Stopwatch onStop={setText} />}
      {step.curve_of.length > 0 && (
        <PastedCurve
          units={workshop.units.filter((u) => step.curve_of.includes(u.kind))}
          onRead={onCurve}
          onFound={(found) => {
            setCurve(found);
            setSymbol(found.unit);
            setText(shownOf(found));
          }}
        />
      )}
      <Keypad value={text} onChange={setText} />
      {taken.length > 0 && (
        <p className="text-sm">
          Taken: {taken.map((v) => show(v)).join(", ")} {unit?.symbol}
        </p>
      )}
      <div className="grid grid-cols-2 gap-2">
        <Button
          disabled={!valid}
          onClick={() => {
            setTaken(all);
            setText("");
          }}
        >
          Repeat it
        </Button>
        <Button look="main" disabled={!all.length || asking} onClick={keep}>
          {doubted.length ? "Keep it all the same" : "Keep the reading"}
        </Button>
      </div>
      {doubted.length > 0 && (
        <Notice tone="warn">
          <ul className="grid gap-1">
            {doubted.map((words) => (
              <li key={words}>{words}</li>
            ))}
          </ul>
        </Notice>
      )}
      {unit && base !== null && (
        <Strip
          unit={unit.symbol}
          healthy={step.healthy && inUnit(step.healthy, unit)}
          specification={step.specification && inUnit(step.specification, unit)}
          rows={rows.map((r) => ({ ...r, ...inUnit(r, unit) }))}
          value={mean}
        />
      )}
      {timed && (
        <Notice tone="plain">Time one full stroke, from the start of motion to the stop.</Notice>
      )}
      <Button look="quiet" onClick={onCancel}>
        Back to the step
      </Button>
    </section>
  );
}

const shownOf = (curve: RecordedCurve) => String(Number(curve.value.toPrecision(5)));

function inUnit<T extends { low: number; high: number }>(band: T, unit: Unit): T {
  const convert = (v: number) => (Math.abs(v) > 1e8 ? v : fromBase(v, unit));
  return { ...band, low: convert(band.low), high: convert(band.high) };
}
