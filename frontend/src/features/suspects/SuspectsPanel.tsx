import { useState } from "react";
import type { Diagnosis, EntryData, Suspect } from "../../api/client";
import { BeforeOpening } from "../../ui/BeforeOpening";
import { Button, Notice, Tag } from "../../ui/primitives";
import { percent } from "../../units";
import { FAMILY } from "../../words";
import { BeforeTests } from "./BeforeTests";
import { MendCard } from "./MendCard";
import { Peers } from "./Peers";
import { withSeconds } from "./withSeconds";

function Reasons({ suspect }: { suspect: Suspect }) {
  return (
    <ul className="mt-1 grid gap-0.5 text-sm">
      {suspect.reasons.map((reason) => {
        const weight = Math.min(Math.abs(reason.log10_ratio) / 2, 1);
        const sign = reason.log10_ratio > 0.15 ? "+" : reason.log10_ratio < -0.15 ? "−" : "·";
        const tone = sign === "+" ? "text-good" : sign === "−" ? "text-stop" : "text-soft";
        return (
          <li key={reason.observation} className="grid grid-cols-[1.2rem_1fr] items-start">
            <span className={`font-bold ${tone}`} style={{ opacity: 0.5 + weight / 2 }}>
              {sign}
            </span>
            <span>{reason.words}</span>
          </li>
        );
      })}
    </ul>
  );
}

interface SuspectsPanelProps {
  diagnosis: Diagnosis;
  currency: string;
  selected: string | null;
  onSelect: (component: string | null) => void;
  onDecide: (data: EntryData) => void;
}

const SEEN = [
  ["found", "Found"],
  ["not_found", "Not found"],
  ["cannot_see", "Cannot see"],
] as const;

const money = (sum: number, currency: string) => `${sum.toFixed(0)}\u00a0${currency}`;

/** The repairs in the order that is cheapest on the average, the machine tried after each. */
function Sequence({ diagnosis, currency }: Pick<SuspectsPanelProps, "diagnosis" | "currency">) {
  const plan = diagnosis.plan;
  if (!plan?.enough) return null;
  return (
    <Notice tone="good">
      No step saves more than its time costs, nor do two together. Mending in this order, tried
      after each, costs {money(plan.expected_cost, currency)} on the average:
      <ol className="mt-1 list-inside list-decimal">
        {plan.repairs
          .filter((r, i) => i === 0 || r.share >= 0.01)
          .map((r) => (
            <li key={`${r.component}:${r.remedy}`}>
              <b>{r.component_label}</b>: {r.remedy} {money(r.cost, currency)}, {percent(r.share)}
            </li>
          ))}
      </ol>
    </Notice>
  );
}

function Decide({
  suspect,
  diagnosis,
  currency,
  onDecide,
}: { suspect: Suspect } & Pick<SuspectsPanelProps, "diagnosis" | "currency" | "onDecide">) {
  const fault = suspect.faults[0];
  const [action, setAction] = useState(fault?.remedy ?? "");
  if (!fault) return null;
  const repair = diagnosis.plan?.repairs.find(
    (r) => r.component === fault.component && r.remedy === fault.remedy,
  );
  return (
    <div className="mt-2 grid gap-2 rounded-md border border-way/50 bg-paper p-3">
      <div className="grid gap-1.5">
        <p className="text-sm">
          <b>Confirm by eye:</b> {fault.confirm}
        </p>
        <div className="flex gap-1.5">
          {SEEN.map(([seen, word]) => (
            <Button
              key={seen}
              className="flex-1 whitespace-nowrap px-2"
              onClick={() =>
                onDecide({
                  kind: "confirm",
                  id: "new",
                  component: fault.component,
                  mode: fault.mode,
                  seen,
                })
              }
            >
              {word}
            </Button>
          ))}
        </div>
      </div>
      {repair && (
        <p className="text-sm">
          <b>Costs:</b> {money(repair.cost, currency)}, parts and labour;{" "}
          {money(repair.expected_cost, currency)} expected, with what follows where it is not this.
        </p>
      )}
      <label className="grid gap-1 text-sm">
        <b>What to do</b>
        <textarea
          className="min-h-16 rounded-md border border-ink/40 bg-white p-2"
          value={action}
          onChange={(e) => setAction(e.target.value)}
        />
      </label>
      <BeforeOpening />
      <Button
        look="main"
        disabled={!action.trim()}
        onClick={() =>
          onDecide({
            kind: "decision",
            component: suspect.component,
            mode: suspect.mode,
            share: Math.min(Math.max(suspect.share, 0), 1),
            action: action.trim(),
          })
        }
      >
        Decide: {fault.component_label}
      </Button>
    </div>
  );
}

const HEALTHY = "healthy";

/** Closes a job that found nothing: its readings become what this machine shows when in order. */
function NothingWrong({ onDecide }: Pick<SuspectsPanelProps, "onDecide">) {
  const [text, setText] = useState("Nothing wrong was found; it works as it should.");
  return (
    <div className="mt-2 grid gap-2 rounded-md border border-way/50 bg-paper p-3">
      <label className="grid gap-1 text-sm">
        <b>What to tell the customer</b>
        <textarea
          className="min-h-16 rounded-md border border-ink/40 bg-white p-2"
          maxLength={2000}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      <p className="text-sm text-soft">
        What was read, none of it outside its specification, becomes this machine's own baseline.
      </p>
      <Button
        look="main"
        disabled={!text.trim()}
        onClick={() => onDecide({ kind: "in_order", text: text.trim() })}
      >
        Close: the machine is in order
      </Button>
    </div>
  );
}

/** Two faults at once are weighed more often than they are worth a word. */
const SAID_ABOVE = 0.2;

const share = (part: number) => (part < 0.1 ? `${(part * 100).toFixed(1)} %` : percent(part));

interface CardProps extends SuspectsPanelProps {
  suspect: Suspect;
  title: string;
  isOpen: boolean;
  onOpen: () => void;
}

/** One suspect with its share; opened, its reasons and the decision. */
function SuspectCard({ suspect, title, isOpen, onOpen, ...panel }: CardProps) {
  const { diagnosis, selected } = panel;
  return (
    <article
      data-suspect={suspect.key}
      className={`rounded-lg border bg-card p-3 ${selected === suspect.component ? "border-way border-2" : "border-line"}`}
    >
      <button
        type="button"
        className="block min-h-11 w-full text-left"
        aria-expanded={isOpen}
        onClick={onOpen}
      >
        <span className="flex items-baseline justify-between gap-3">
          <span className="font-bold">{title}</span>
          <span className="whitespace-nowrap font-bold text-lg text-suspect">
            {share(suspect.share)}
          </span>
        </span>
        <span className="mt-1 block h-2 rounded bg-line" aria-hidden="true">
          <span
            className="block h-2 rounded bg-suspect"
            style={{ width: `${Math.max(suspect.share * 100, 0.5)}%` }}
          />
        </span>
      </button>
      {isOpen && (
        <div className="mt-2">
          <p className="flex flex-wrap gap-1.5 text-sm">
            {suspect.family && <Tag tone="plain">{FAMILY[suspect.family] ?? suspect.family}</Tag>}
            {suspect.faults[0]?.location && <Tag tone="plain">{suspect.faults[0].location}</Tag>}
          </p>
          <Peers suspect={suspect} suspects={diagnosis.suspects} />
          <Reasons suspect={suspect} />
          {suspect.experience.map((words) => (
            <p key={words} className="mt-1 text-sm text-soft">
              {words}.
            </p>
          ))}
          {suspect.key === HEALTHY && <NothingWrong onDecide={panel.onDecide} />}
          {suspect.component && (
            <Decide
              suspect={suspect}
              diagnosis={diagnosis}
              currency={panel.currency}
              onDecide={panel.onDecide}
            />
          )}
        </div>
      )}
    </article>
  );
}

/** Suspects with shares, reasons for and against, and the decision. */
export function SuspectsPanel(props: SuspectsPanelProps) {
  const { diagnosis, onSelect } = props;
  const [open, setOpen] = useState<string | null>(diagnosis.suspects[0]?.key ?? null);
  const [shown, setShown] = useState<ReadonlySet<string>>(new Set());
  const both = diagnosis.suspects
    .filter((s) => s.faults.length > 1)
    .reduce((sum, s) => sum + s.share, 0);
  const card = (suspect: Suspect, title: string) => (
    <SuspectCard
      {...props}
      key={suspect.key}
      suspect={suspect}
      title={title}
      isOpen={open === suspect.key}
      onOpen={() => {
        setOpen(open === suspect.key ? null : suspect.key);
        onSelect(open === suspect.key ? null : suspect.component);
      }}
    />
  );
  return (
    <section aria-label="Suspects" className="grid gap-2">
      {!diagnosis.explained && (
        <Notice tone="stop">
          Nothing modelled explains these observations
          {diagnosis.two_faults_considered && ", not even two faults at once"}. Check the readings,
          the gauge and the circuit before going on.
        </Notice>
      )}
      <BeforeTests diagnosis={diagnosis} />
      {diagnosis.explained && both > SAID_ABOVE && (
        <Notice tone="warn">
          Two faults at once: {percent(both)}. Mending one alone may not cure it.
        </Notice>
      )}
      <Sequence diagnosis={diagnosis} currency={props.currency} />
      {diagnosis.mend && <MendCard mend={diagnosis.mend} currency={props.currency} />}
      {diagnosis.left_out.map((left) => (
        <Notice key={left.observation} tone="warn">
          <b>Kept, but not weighed:</b> {left.words}. {left.why}
        </Notice>
      ))}
      {withSeconds(diagnosis.suspects).map(({ suspect, seconds }) => {
        const isShown = shown.has(suspect.key);
        return (
          <div key={suspect.key} className="grid gap-2">
            {card(suspect, suspect.title)}
            {seconds.length > 0 && (
              <button
                type="button"
                className="min-h-11 rounded-lg border border-line border-dashed px-3 text-left text-sm"
                aria-expanded={isShown}
                onClick={() => {
                  const next = new Set(shown);
                  if (!next.delete(suspect.key)) next.add(suspect.key);
                  setShown(next);
                }}
              >
                {isShown ? "▾" : "▸"} The same with a second fault,{" "}
                {seconds.length === 1 ? "one" : `${seconds.length} of them`}:{" "}
                <b>{share(seconds.reduce((sum, s) => sum + s.second.share, 0))}</b>
              </button>
            )}
            {isShown && (
              <div className="ml-4 grid gap-2">
                {seconds.map(({ second, besides }) => card(second, `and ${besides}`))}
              </div>
            )}
          </div>
        );
      })}
      <p className="text-sm text-soft">
        Something not modelled: {(diagnosis.other_share * 100).toFixed(1)} %
      </p>
      {diagnosis.earlier_readings > 0 && (
        <p className="text-sm text-soft">
          Weighed along: what this machine showed when it was last in order (
          {diagnosis.earlier_readings} {diagnosis.earlier_readings === 1 ? "reading" : "readings"}).
        </p>
      )}
    </section>
  );
}
