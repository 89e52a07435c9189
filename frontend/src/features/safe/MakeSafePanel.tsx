import type {
  EntryData,
  Lack,
  LiveLine,
  Remains,
  SafePlan,
  SafeStep,
  Suspect,
} from "../../api/client";
import type { ShownEntry } from "../../api/outbox";
import { Button, Notice, Tag } from "../../ui/primitives";
import { percent } from "../../units";

type Done = Extract<EntryData, { kind: "make_safe" }>;
type Add = (data: EntryData, supersedes?: string) => void;

/** Steps whose end is a gauge that reads zero. */
export const readsZero = (step: SafeStep) => step.kind === "read" || step.kind === "empty";

/** The newest standing entry of each step. */
export function doneSteps(entries: ShownEntry[]): Map<string, ShownEntry> {
  return new Map(
    entries.flatMap((e) =>
      e.standing && e.data.kind === "make_safe" && e.data.step ? [[e.data.step, e] as const] : [],
    ),
  );
}

const LACK = "lack/";

/** What was said not to work of the machine, as the record stands. */
export function lacksOf(entries: ShownEntry[]): Lack[] {
  return [...doneSteps(entries).keys()]
    .filter((step) => step.startsWith(LACK))
    .map((step) => step.slice(LACK.length) as Lack)
    .sort();
}

/** What the plan counts on and what may not work: one tap, and the plan does without it. */
function Lacking({ plan, entries, onAdd }: { plan: SafePlan; entries: ShownEntry[]; onAdd: Add }) {
  const done = doneSteps(entries);
  return (
    <fieldset className="grid gap-1.5">
      <legend className="mb-1.5 font-bold">Does anything of this not work?</legend>
      <div className="flex flex-wrap gap-2">
        {plan.asks.map((ask) => {
          const entry = done.get(`${LACK}${ask.key}`);
          return (
            <Button
              key={ask.key}
              aria-pressed={entry !== undefined}
              className={entry ? "!border-stop !bg-stop-soft" : ""}
              disabled={entry?.onItsWay ?? false}
              onClick={() =>
                entry
                  ? onAdd({ kind: "withdrawal", reason: "It works" }, entry.id)
                  : onAdd({
                      kind: "make_safe",
                      text: `${ask.words}.`,
                      step: `${LACK}${ask.key}`,
                      zero: null,
                    })
              }
            >
              {entry ? "✗ " : ""}
              {ask.words}
            </Button>
          );
        })}
      </div>
    </fieldset>
  );
}

/** What the record says of the plan: how many zeros are read, and which lines are not at zero. */
export function standOf(plan: SafePlan, done: Map<string, ShownEntry>) {
  const zeros = plan.steps.filter(readsZero);
  const said = (step: SafeStep) => (done.get(step.key)?.data as Done | undefined)?.zero;
  return {
    wanted: plan.steps.length,
    done: plan.steps.filter((s) => done.has(s.key) && (!readsZero(s) || said(s) === true)).length,
    open: zeros.filter((s) => said(s) !== true),
    /** Lines that nothing can be read on: never known to be at zero. */
    blind: plan.steps.filter((s) => s.kind === "blind"),
    holding: zeros.filter((s) => said(s) === false),
  };
}

const bar = (value: number) => `${Math.max(0, Math.round(value))} bar`;

function Line({ line }: { line: LiveLine }) {
  const now = line.healthy_bar > 5;
  return (
    <li className="flex items-baseline gap-3 border-line border-t py-1.5 first:border-t-0">
      <span className="w-20 shrink-0 text-right font-bold text-lg tabular-nums">
        {now ? bar(line.healthy_bar) : bar(line.worst_bar)}
      </span>
      <span className="min-w-0 text-sm">
        <b>{line.label}</b>
        {line.because.length > 0 && <> · {line.because.join(", ")}</>}
        {line.since && <span className="block text-soft">closed in as after “{line.since}”</span>}
        {line.held_by.length > 0 && (
          <span className="block text-soft">held by {line.held_by.join(", ")}</span>
        )}
        {line.falls && <span className="block text-soft">{line.falls}</span>}
        {line.worst_bar > Math.max(1.2 * line.healthy_bar, line.healthy_bar + 5) && (
          <span className="block text-soft">
            {now ? `up to ${bar(line.worst_bar)} with ` : "with "}
            {line.worst_with}
          </span>
        )}
      </span>
    </li>
  );
}

function StepCard({
  step,
  number,
  entry,
  onAdd,
}: {
  step: SafeStep;
  number: number;
  entry: ShownEntry | undefined;
  onAdd: Add;
}) {
  const said = entry?.data as Done | undefined;
  const good = entry && (!readsZero(step) || said?.zero === true);
  const keep = (text: string, zero: boolean | null) =>
    onAdd({ kind: "make_safe", text, step: step.key, zero }, entry?.id);
  const tone = good ? "border-good/40 bg-good-soft" : entry ? "border-stop/60 bg-stop-soft" : "";
  return (
    <li className={`grid gap-2 rounded-md border border-line bg-card px-3 py-2 ${tone}`}>
      <p className="flex gap-2 text-sm">
        <b className="w-6 shrink-0 text-right">{number}.</b>
        <span>
          {step.words}
          {step.before_bar !== null && step.after_bar !== null && step.before_bar > 5 && (
            <b className="block tabular-nums">
              {bar(step.before_bar)} → {bar(step.after_bar)}
            </b>
          )}
        </span>
      </p>
      {entry ? (
        <p className="flex items-center justify-between gap-2 pl-8 text-sm">
          <b className={good ? "text-good" : "text-stop"}>
            {!readsZero(step) ? "Done" : said?.zero ? "Read zero" : "Not at zero: do not open"}
          </b>
          {!entry.onItsWay && (
            <Button
              look="quiet"
              className="!px-1 text-sm"
              onClick={() => onAdd({ kind: "withdrawal", reason: "" }, entry.id)}
            >
              Undo
            </Button>
          )}
        </p>
      ) : readsZero(step) ? (
        <div className="flex gap-2 pl-8">
          <Button className="flex-1" onClick={() => keep(`Read zero. ${step.words}`, true)}>
            Reads zero
          </Button>
          <Button className="flex-1" onClick={() => keep(`Not at zero. ${step.words}`, false)}>
            Not zero
          </Button>
        </div>
      ) : (
        <Button className="ml-8" onClick={() => keep(step.words, null)}>
          Done
        </Button>
      )}
    </li>
  );
}

function MayStay({ remains, suspects }: { remains: Remains[]; suspects: Suspect[] }) {
  const share = (r: Remains) =>
    suspects.filter((s) => r.faults.includes(s.key)).reduce((sum, s) => sum + s.share, 0);
  const sorted = [...remains].sort((a, b) => share(b) - share(a) || b.bar - a.bar);
  return (
    <ul className="mt-1 grid gap-1 text-sm">
      {sorted.map((r) => (
        <li key={r.net}>
          {r.words}. {share(r) >= 0.01 && <Tag tone="stop">suspected: {percent(share(r))}</Tag>}
        </li>
      ))}
    </ul>
  );
}

const DETAILS = "rounded-md border border-line bg-card px-3 py-2 text-sm";
const SUMMARY = "min-h-6 cursor-pointer font-semibold";

/** The way to zero as a checklist; nothing counts as safe before its last zero is read. */
export function MakeSafePanel({
  plan,
  entries,
  suspects,
  onAdd,
}: {
  plan: SafePlan;
  entries: ShownEntry[];
  suspects: Suspect[];
  onAdd: Add;
}) {
  const done = doneSteps(entries);
  const stand = standOf(plan, done);
  // What does not work still does not, and what was gone on with was: only the steps begin again.
  const began = plan.steps.flatMap((step) => done.get(step.key) ?? []);
  const now = plan.lines.filter((l) => l.healthy_bar > 5);
  const faulty = plan.lines.filter((l) => l.healthy_bar <= 5);
  const stuck = plan.remains.filter((r) => r.faults.length === 0);
  const levers = plan.levers.filter((l) => l.works_running || l.works_off);
  return (
    <section aria-label="Make safe" className="grid gap-3">
      <div role="status" className="-top-3 sticky z-10 bg-paper py-1">
        {stand.holding.length > 0 ? (
          <Notice tone="stop">
            <b>Not safe: {stand.holding.length === 1 ? "a line is" : "lines are"} not at zero.</b>{" "}
            Open nothing on it. Say below what does not work, and go the other way; if it stays,
            stay away and follow the maker's procedure to release it.
            {stand.holding.some((s) => s.kind === "empty") && (
              <b className="block">A store still reads full after it was dumped.</b>
            )}
          </Notice>
        ) : stand.open.length || stand.done < stand.wanted || stuck.length ? (
          <Notice tone="stop">
            <b>Not safe yet.</b> {stand.done} of {stand.wanted} steps done
            {stand.open.length > 0 && `, ${stand.open.length} zeros still to be read`}.
          </Notice>
        ) : stand.blind.length ? (
          <Notice tone="warn">
            <b>Every zero that can be read is read.</b> {stand.blind.length}{" "}
            {stand.blind.length === 1 ? "line has" : "lines have"} no test point: not known to be at
            zero, still to be treated as under pressure.
          </Notice>
        ) : (
          <Notice tone="good">
            <b>{plan.lines.length ? "Every zero is read." : "Every step is done."}</b> It holds only
            until something is started, moved or raised again.
          </Notice>
        )}
      </div>
      <Lacking plan={plan} entries={entries} onAdd={onAdd} />
      {stuck.length > 0 && (
        <Notice tone="stop">
          <b>This plan does not bring everything to zero.</b> {stuck.map((r) => r.words).join("; ")}
          . Follow the maker's procedure.
        </Notice>
      )}
      <div>
        <h2 className="font-bold">Under pressure with the {plan.drive} off</h2>
        {now.length ? (
          <ul>
            {now.map((l) => (
              <Line key={l.net} line={l} />
            ))}
          </ul>
        ) : (
          <p className="text-sm">On a machine in order, no line. Zero is read all the same.</p>
        )}
      </div>
      <ol className="grid gap-2">
        {plan.steps.map((step, i) => (
          <StepCard
            key={step.key}
            step={step}
            number={i + 1}
            entry={done.get(step.key)}
            onAdd={onAdd}
          />
        ))}
      </ol>
      {began.length > 0 && (
        <Button
          onClick={() => {
            for (const entry of began) {
              if (!entry.onItsWay) onAdd({ kind: "withdrawal", reason: "Started again" }, entry.id);
            }
          }}
        >
          Something was started or raised: begin again
        </Button>
      )}
      {plan.remains.some((r) => r.faults.length) && (
        <details className={DETAILS}>
          <summary className={SUMMARY}>What a fault may keep under pressure all the same</summary>
          <MayStay remains={plan.remains.filter((r) => r.faults.length)} suspects={suspects} />
        </details>
      )}
      {faulty.length > 0 && (
        <details className={DETAILS}>
          <summary className={SUMMARY}>Lines that only a fault puts under pressure</summary>
          <ul>
            {faulty.map((l) => (
              <Line key={l.net} line={l} />
            ))}
          </ul>
        </details>
      )}
      <details className={DETAILS}>
        <summary className={SUMMARY}>What still moves with the {plan.drive} off</summary>
        <ul className="mt-1 grid gap-1">
          {levers.map((l) => (
            <li key={`${l.function}.${l.move}`}>
              <b>{l.label}</b>: {l.works_off ? "works" : `does not: ${l.why_not}`}
            </li>
          ))}
        </ul>
      </details>
      <details className={DETAILS}>
        <summary className={SUMMARY}>What opening would release</summary>
        <ul className="mt-1 grid gap-1">
          {plan.releases.map((r) => (
            <li key={r.point}>
              <b>{r.label}</b>: {bar(r.before_bar)} as it stands, {bar(r.after_bar)} after the plan
              {r.worst_with && `, up to ${bar(r.worst_bar)} with ${r.worst_with}`}
            </li>
          ))}
        </ul>
      </details>
      <p className="text-soft text-sm">{plan.caution}</p>
    </section>
  );
}
