import { Fragment } from "react";
import {
  api,
  type Diagnosis,
  type EntryData,
  type FlowCurve,
  type Reading,
  type Schematic,
  type Step,
  type Workshop,
} from "../../api/client";
import { BeforeOpening } from "../../ui/BeforeOpening";
import { Button, Notice, Tag } from "../../ui/primitives";
import { percent, showBand, showOpenBand } from "../../units";
import { ReadingPad } from "../reading/ReadingPad";
import { Strip, type StripRow } from "../reading/Strip";
import { shortTitle } from "../suspects/shortTitle";
import { FlowCurvePanel } from "./FlowCurvePanel";
import { type Moment, OverTime, overTime } from "./OverTime";

interface StepPanelProps {
  diagnosis: Diagnosis;
  workshop: Workshop;
  chosen: Step;
  pointLabel: string;
  /** Engine, oil and levers of the step's state, in words. */
  conditions: string;
  onChoose: (step: Step) => void;
  /** A reading is being typed: the step stays until it is kept or left. */
  reading: boolean;
  onRead: (reading: boolean) => void;
  /** A moment of what is played over time, for the map. */
  onMoment: (moment: Moment | null) => void;
  onKeep: (data: EntryData) => void;
  onDoubt: (reading: Reading) => Promise<string[]>;
  revision: number;
  schematic: Schematic;
  /** Of a flow at a meter: what it tells at several pressures, once that is worked out. */
  curve: FlowCurve | null;
  /** The step is a reading of somebody's own choice, not one that is proposed. */
  own?: boolean;
  onBack?: () => void;
  /** Where it is decided what is mended. */
  onDecide: () => void;
}

export function stepKey(step: Step): string {
  return `${step.kind}:${step.point}:${step.quantity}:${step.state || step.state_label}`;
}

function rowsOf(step: Step, diagnosis: Diagnosis): StripRow[] {
  const suspects = new Map(diagnosis.suspects.map((s) => [s.key, s]));
  return step.by_suspect.slice(0, 5).flatMap((band) => {
    const suspect = suspects.get(band.key);
    return suspect
      ? [
          {
            key: band.key,
            label: shortTitle(suspect),
            share: suspect.share,
            low: band.low,
            high: band.high,
          },
        ]
      : [];
  });
}

function Answers({ step, onKeep }: Pick<StepPanelProps, "onKeep"> & { step: Step }) {
  return (
    <div className="grid gap-1.5">
      {step.outcomes.map(({ word, probability, entry }) => (
        <Button
          key={word}
          className="flex justify-between gap-3 text-left"
          data-entry={JSON.stringify(entry)}
          onClick={() => onKeep(entry)}
        >
          <span className="first-letter:uppercase">{word}</span>
          <span className="whitespace-nowrap font-normal text-soft">{percent(probability)}</span>
        </Button>
      ))}
    </div>
  );
}

/** Whom the step parts, one line an outcome. */
function Parts({ step }: { step: Step }) {
  if (!step.parts.length) return null;
  return (
    <dl
      aria-label="What each outcome would mean"
      className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5 text-sm"
    >
      {step.parts.map((part) => (
        <Fragment key={`${part.answer} ${part.low}`}>
          <dt className="whitespace-nowrap text-soft first-letter:uppercase">
            {part.answer || showOpenBand(part.low, part.high, step.unit)}
          </dt>
          <dd className="font-semibold">{part.suspects.join(", ")}</dd>
        </Fragment>
      ))}
    </dl>
  );
}

function Cautions({ step }: { step: Step }) {
  return (
    <div className="grid gap-1.5">
      {step.hazards.map((h) => (
        <Notice key={h.port} tone={h.refused ? "stop" : "warn"}>
          {h.words} ({(h.share * 100).toFixed(h.share < 0.01 ? 2 : 1)} % of the belief).{" "}
          {!h.refused && "Watch the gauge, build up slowly, let go at once above its rating."}
        </Notice>
      ))}
      {step.cautions.map((text) => (
        <Notice key={text} tone="warn">
          {text}
        </Notice>
      ))}
      <BeforeOpening />
    </div>
  );
}

/** The next step: where to connect what, in which state, is it safe, and what each would show. */
export function StepPanel(props: StepPanelProps) {
  const {
    diagnosis,
    workshop,
    chosen: step,
    pointLabel,
    conditions,
    onChoose,
    onKeep,
    onDoubt,
    reading,
    onRead,
  } = props;
  const rows = rowsOf(step, diagnosis);
  const doFirst = diagnosis.plan?.do_first;
  const guesses = diagnosis.plan?.guesses ?? [];
  if (reading) {
    return (
      <ReadingPad
        key={stepKey(step)}
        step={step}
        workshop={workshop}
        conditions={conditions}
        rows={rows}
        onKeep={onKeep}
        onDoubt={onDoubt}
        onCurve={(text, unit) => api.recorded(props.revision, step.point, text, unit)}
        onCancel={() => onRead(false)}
      />
    );
  }
  const others = (diagnosis.plan?.next_steps ?? []).filter((s) => stepKey(s) !== stepKey(step));
  const offered = others.filter((s) => !s.refused).slice(0, 5);
  const refused = others.filter((s) => s.refused);
  return (
    <section
      aria-label="Next step"
      className="grid gap-3"
      data-kind={step.kind}
      data-point={step.point}
      data-quantity={step.quantity}
      data-state={step.state}
      data-instrument={step.instrument ?? ""}
    >
      {diagnosis.plan?.enough && !props.own && (
        <Notice tone="good">
          No further step is worth its minutes: decide what is mended.
          {doFirst ? (
            <p className="mt-1">
              Do this first, and see whether it was that:{" "}
              <b>
                {doFirst.component_label}. {doFirst.remedy}
              </b>
            </p>
          ) : (
            <p className="mt-1">
              Nothing is to be mended: look at the operation, the interlocks, what is expected.
            </p>
          )}
          {diagnosis.plan.not_excluded.length > 0 && (
            <p className="mt-1 text-sm">
              Not excluded: {diagnosis.plan.not_excluded.join("; ")}.
              {doFirst && " If it changes nothing, note that: the next step follows."}
            </p>
          )}
          <Button className="mt-2 w-full" onClick={props.onDecide}>
            To the suspects
          </Button>
        </Notice>
      )}
      <div>
        <div className="flex items-start justify-between gap-2">
          <h2 className="font-bold text-xl leading-tight">
            {pointLabel && <span className="text-suspect">{pointLabel} </span>}
            {step.point_label}
            {step.kind === "reading" && (
              <span className="font-normal">, {step.quantity_label}</span>
            )}
          </h2>
          <Tag tone="plain">{Math.round(step.minutes)} min</Tag>
        </div>
        <p className="mt-1 font-semibold">{step.state_label}</p>
        {conditions && <p className="text-sm">{conditions}</p>}
        {(step.instrument_label || step.fitting) && (
          <p className="text-sm text-soft">
            {[step.instrument_label, step.fitting].filter(Boolean).join(" · ")}
            {step.highest_bar !== null &&
              step.highest_bar !== undefined &&
              ` · up to ${step.highest_bar.toFixed(0)} bar possible`}
          </p>
        )}
      </div>
      {step.refused && (
        <Notice tone="stop">
          {props.own ? "Do not take it: " : "Not offered: "}
          {step.refused}
        </Notice>
      )}
      {props.own && (
        <p className="text-sm">
          {step.bits < 0.01
            ? "It would tell nothing about who it is."
            : `It would tell ${step.bits.toFixed(2)} bit.`}
        </p>
      )}
      <Parts step={step} />
      <Cautions step={step} />
      {!step.refused &&
        (step.kind === "reading" ? (
          <Button look="main" className="min-h-14 text-lg" onClick={() => onRead(true)}>
            Enter the reading
          </Button>
        ) : (
          <Answers step={step} onKeep={onKeep} />
        ))}
      {props.own && (
        <div className="flex flex-wrap gap-2">
          {step.refused && (
            <Button onClick={() => onRead(true)}>It was read already: enter it</Button>
          )}
          <Button onClick={props.onBack}>Back to what is proposed</Button>
        </div>
      )}
      {step.kind === "reading" && (
        <div>
          <h3 className="mb-1 font-bold text-sm">
            What each would show
            {step.specification && (
              <span className="font-normal text-soft">
                {" "}
                · specified {showBand(step.specification.low, step.specification.high, step.unit)}
              </span>
            )}
          </h3>
          <Strip
            unit={step.unit}
            healthy={step.healthy}
            specification={step.specification}
            rows={rows}
            value={null}
          />
        </div>
      )}
      {props.curve && !step.refused && (
        <FlowCurvePanel
          key={`${stepKey(step)} ${props.curve.loads_bar.join()}`}
          curve={props.curve}
          single={step}
          schematic={props.schematic}
          workshop={workshop}
          names={new Map(diagnosis.suspects.map((s) => [s.key, shortTitle(s)]))}
          onKeep={onKeep}
        />
      )}
      {overTime(step.quantity) && (
        <OverTime
          revision={props.revision}
          timing={step.point}
          leader={diagnosis.suspects.find((s) => s.faults.length === 1)}
          onMoment={props.onMoment}
        />
      )}
      {offered.length > 0 && (
        <div>
          <h3 className="mb-1 font-bold text-sm">Or instead</h3>
          <ul className="grid gap-1">
            {offered.map((s) => (
              <li key={stepKey(s)}>
                <button
                  type="button"
                  className="flex min-h-11 w-full items-center justify-between gap-3 rounded-md border border-line bg-card px-3 py-1 text-left text-sm active:bg-line"
                  onClick={() => onChoose(s)}
                >
                  <span>
                    <b>{s.point_label}</b>
                    {s.kind === "reading" && `, ${s.quantity_label}`} — {s.state_label}
                  </span>
                  <span className="whitespace-nowrap text-soft">{Math.round(s.minutes)} min</span>
                </button>
              </li>
            ))}
          </ul>
        </div>
      )}
      {guesses.length > 0 && (
        <div className="text-sm">
          <h3 className="mb-1 font-bold">Numbers nobody has measured</h3>
          <ul className="grid gap-0.5">
            {guesses.map((g) => (
              <li key={`${g.component}.${g.parameter}`}>
                <b>{g.component_label}</b>, {g.description}: {g.value}{" "}
                {g.unit === "1" ? "" : g.unit} is taken. From the plate or the sheet it would tell{" "}
                {g.bits.toFixed(1)} bit.
              </li>
            ))}
          </ul>
        </div>
      )}
      {refused.length > 0 && (
        <details className="text-sm">
          <summary className="min-h-8 cursor-pointer font-bold">Not offered, and why</summary>
          <ul className="grid gap-1">
            {refused.map((s) => (
              <li key={stepKey(s)}>
                <Notice tone="stop">
                  <b>
                    {s.point_label} — {s.state_label}:
                  </b>{" "}
                  {s.refused}
                </Notice>
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}
