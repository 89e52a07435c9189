import { Tabs } from "radix-ui";
import { useEffect, useMemo, useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import {
  type Answer,
  api,
  type Diagnosis,
  type EntryData,
  type Job,
  type Plan,
  type Reading,
  type Schematic as SchematicData,
  type Step,
  type Workshop,
} from "../../api/client";
import { useEvents } from "../../api/events";
import { withPending } from "../../api/outbox";
import {
  useAnswer,
  useJob,
  useJudged,
  usePending,
  useSafe,
  useSchematic,
  useSolvedState,
  useTrace,
  useWorkshop,
} from "../../api/queries";
import { Schematic } from "../../schematic/Schematic";
import { pressureColour, SCALE_TOP_BAR } from "../../schematic/scale";
import { Frame } from "../../ui/Frame";
import { PendingBar } from "../../ui/PendingBar";
import { Button, Failure, Notice, Select } from "../../ui/primitives";
import { WorkBar } from "../../ui/WorkBar";
import { percent } from "../../units";
import { OilPlan } from "../oil/OilPlan";
import { ProvePanel } from "../prove/ProvePanel";
import { RecordPanel } from "../record/RecordPanel";
import { AskWhy, actOf, goneOnWith, notAtZero } from "../safe/GoneOn";
import { doneSteps, lacksOf, MakeSafePanel, standOf } from "../safe/MakeSafePanel";
import type { Moment } from "../step/OverTime";
import { OwnReading } from "../step/OwnReading";
import { StepPanel, stepKey } from "../step/StepPanel";
import { WayOn } from "../step/WayOn";
import { BeforeTests } from "../suspects/BeforeTests";
import { SuspectsPanel } from "../suspects/SuspectsPanel";
import { shortTitle } from "../suspects/shortTitle";
import { complaintOf, litBy, moveKey, stateOf, TracePanel } from "../trace/TracePanel";
import { CircuitChanged } from "./CircuitChanged";
import { JobParts } from "./JobParts";
import { LastKept } from "./LastKept";
import { PARTS } from "./parts";

/** Belief on each part: a suspect's share falls on all the parts it names. */
export function suspicionOf(diagnosis: Diagnosis): Map<string, number> {
  const shares = new Map<string, number>();
  for (const suspect of diagnosis.suspects) {
    for (const fault of suspect.faults) {
      shares.set(fault.component, (shares.get(fault.component) ?? 0) + suspect.share);
    }
  }
  return shares;
}

/** The state that was last read in, or one in which the machine runs: what the map shows without a step. */
export function lastSeen(job: Pick<Job, "entries">, schematic: SchematicData): string {
  const named = new Set(schematic.states.map((s) => s.id));
  const seen = job.entries
    .filter((e) => e.standing)
    .flatMap(({ data }) =>
      (data.kind === "reading" || data.kind === "indicator") && typeof data.state === "string"
        ? [data.state]
        : [],
    )
    .filter((id) => named.has(id));
  const running = schematic.states.find((s) => s.engine !== "off") ?? schematic.states[0];
  return seen.at(-1) ?? running?.id ?? "";
}

/** The state in which a machine is made safe: stopped, everything held where it was. */
export function atRest(schematic: SchematicData): string | null {
  const stopped = schematic.states.filter((s) => s.engine === "off");
  const still = stopped.find((s) => s.id === "parked" || s.id === "held") ?? stopped[0];
  return still?.id ?? null;
}

/** Engine, oil and levers of a state, in words. */
export function conditionsOf(schematic: SchematicData, stateId: string): string {
  const state = schematic.states.find((s) => s.id === stateId);
  if (!state) return "";
  const engine = Number.isNaN(Number(state.engine)) ? state.engine : `${state.engine} rpm`;
  const levers = Object.entries(state.moves).map(([id, move]) => {
    const f = schematic.functions.find((x) => x.id === id);
    return `${f?.label ?? id} ${f?.moves.find((m) => m.id === move)?.label ?? move}`;
  });
  return [
    `Engine ${engine}`,
    `oil ${state.oil_c} °C`,
    levers.join(", ") || "levers in neutral",
  ].join(" · ");
}

function Scale() {
  const marks = [0, 25, 100, 180, SCALE_TOP_BAR];
  return (
    <div className="flex items-center gap-1 text-xs" role="img" aria-label="Colour of pressures">
      {marks.map((bar) => (
        <span key={bar} className="flex items-center gap-0.5">
          <span
            className="inline-block h-3 w-5 rounded-sm"
            style={{ background: pressureColour(bar) }}
          />
          {bar}
        </span>
      ))}
      <span>bar</span>
    </div>
  );
}

/** What somebody is about to do while the machine is not at zero. */
interface Asked {
  act: string;
  why: string;
  data: EntryData;
  supersedes: string | undefined;
}

interface BenchProps {
  job: Job;
  answer: Answer | undefined;
  workshop: Workshop;
  schematic: SchematicData;
  pending: ReturnType<typeof usePending>;
  tab: string;
  onTab: (tab: string) => void;
}

const TAB =
  "min-h-12 flex-1 whitespace-nowrap border-b-4 border-transparent px-1 font-semibold text-sm data-[state=active]:border-way data-[state=active]:text-way-deep";

/** Before anything is known: nobody is suspected, nothing is planned. */
const UNKNOWN: Diagnosis = {
  suspects: [],
  other_share: 0,
  explained: true,
  two_faults_considered: false,
  left_out: [],
  plan: null,
  earlier_readings: 0,
  at_odds: [],
  before_tests: [],
};

function Bench({ job, answer, workshop, schematic, pending, tab, onTab }: BenchProps) {
  const newest = answer?.diagnosis ?? UNKNOWN;
  const plan = useShownPlan(
    answer,
    pending.items.some((i) => i.state !== "refused"),
  );
  const entries = withPending(job.entries, pending.items);
  const [chosenKey, setChosenKey] = useState<string | null>(null);
  // The step whose reading is being typed stays, whatever is found out meanwhile.
  const [held, setHeld] = useState<Step | null>(null);
  const steps = plan.shown?.next_steps ?? [];
  const [wanted, setWanted] = useState<{ reading: Reading; base: string } | null>(null);
  const judged = useJudged(job.id, answer?.question, wanted?.reading ?? null);
  const own = wanted ? (judged.data?.step ?? null) : null;
  const panel = useRef<HTMLDivElement>(null);
  // What was asked for or chosen at the foot of the panel stands, with its cautions, at its head.
  useEffect(() => {
    if (own || chosenKey) panel.current?.scrollTo?.({ top: 0 });
  }, [own, chosenKey]);
  const chosen: Step | undefined =
    held ?? own ?? steps.find((s) => stepKey(s) === chosenKey) ?? steps.find((s) => !s.refused);
  // A flow at a meter is judged at several pressures as well.
  const metered = chosen?.quantity === "flow_lpm" ? (chosen.reading ?? null) : null;
  const flow = useJudged(job.id, answer?.question, metered);
  const [selected, setSelected] = useState<string | null>(null);
  const [stateChoice, setStateChoice] = useState<string | null>(null);
  const [player, setPlayer] = useState("healthy");
  const traced = useTrace(job.circuit_revision);
  const [move, setMove] = useState<string | null>(null);
  const followed = useMemo(() => {
    const moves = traced.data?.trace?.moves ?? [];
    const { bad } = complaintOf(entries);
    return (
      moves.find((m) => moveKey(m) === move) ?? moves.find((m) => bad.has(moveKey(m))) ?? moves[0]
    );
  }, [traced.data, entries, move]);
  const lit = useMemo(
    () => (tab === "trace" && followed ? litBy(followed, schematic) : null),
    [tab, followed, schematic],
  );
  const [asked, setAsked] = useState<Asked | null>(null);
  const safe = useSafe(job.circuit_revision, lacksOf(entries));
  const unread = safe.data?.plan && standOf(safe.data.plan, doneSteps(entries)).open[0]?.point;
  const reading = chosen?.gauge_point || null;
  const proposed =
    (own && chosen === own ? wanted?.base : chosen?.state) || lastSeen({ entries }, schematic);
  const ofTab =
    tab === "safe"
      ? atRest(schematic)
      : tab === "trace" && followed
        ? stateOf(followed, schematic)
        : null;
  const state = stateChoice ?? ofTab ?? proposed;
  const steady = schematic.states.some((s) => s.id === state);
  const solved = useSolvedState(
    job.circuit_revision,
    steady ? state : null,
    player === "healthy" ? null : player,
  );
  const [moment, setMoment] = useState<Moment | null>(null);
  const suspicion = useMemo(() => suspicionOf(newest), [newest]);
  const pointIndex = schematic.test_points.findIndex((p) => p.id === chosen?.gauge_point);

  const keep = (data: EntryData, supersedes?: string) => {
    const act = actOf(data, schematic);
    const why = act && notAtZero(safe.data?.plan, entries);
    if (act && why) setAsked({ act, why, data, supersedes });
    else write(data, supersedes);
  };
  const write = (data: EntryData, supersedes?: string) => {
    pending.add(data, supersedes);
    setHeld(null);
    setChosenKey(null);
    setWanted(null);
    setStateChoice(null);
    if (data.kind === "decision" || data.kind === "in_order") onTab("record");
  };

  return (
    <main className="grid min-h-0 flex-1 grid-cols-[1fr_27rem] max-[900px]:grid-cols-1 max-[900px]:grid-rows-[1fr_1fr]">
      {asked && (
        <AskWhy
          act={asked.act}
          why={asked.why}
          onYes={(reason) => {
            pending.add(goneOnWith(asked.act, asked.why, reason));
            write(asked.data, asked.supersedes);
            setAsked(null);
          }}
          onNo={() => {
            setAsked(null);
            onTab("safe");
          }}
        />
      )}
      <div className="flex min-h-0 min-w-0 flex-col">
        <div className="flex items-center gap-3 border-line border-b px-3 py-1.5">
          <div className="min-w-0 flex-1">
            <Select
              label="State shown"
              value={state}
              onChange={setStateChoice}
              options={[
                // What is read in time passes: it can be looked at, and has no steady numbers.
                ...(steady ? [] : [{ value: state, label: "a moment that passes" }]),
                ...schematic.states.map((s) => ({ value: s.id, label: s.label })),
              ]}
            />
          </div>
          <div className="min-w-0 flex-1">
            <Select
              label="Machine shown"
              value={player}
              onChange={setPlayer}
              options={[
                { value: "healthy", label: "as it should be" },
                ...newest.suspects
                  .filter((s) => s.faults.length === 1)
                  .map((s) => ({ value: s.key, label: `if ${s.title}` })),
              ]}
            />
          </div>
          <Scale />
        </div>
        {moment ? (
          <div className="p-2">
            <Notice tone="plain">The map plays along: {moment.words}.</Notice>
          </div>
        ) : (
          !steady && (
            <div className="p-2">
              <Notice tone="plain">
                Read while it passes: the map shows where, without steady numbers.
              </Notice>
            </div>
          )
        )}
        {own && chosen === own && typeof wanted?.reading.state === "object" && (
          <div className="p-2">
            <Notice tone="plain">
              The map shows the state as it is named; what is read is {own.state_label}.
            </Notice>
          </div>
        )}
        {solved.error && (
          <div className="p-2">
            <Failure error={solved.error} />
          </div>
        )}
        <div className="min-h-0 flex-1">
          <Schematic
            schematic={schematic}
            solved={moment?.solved ?? (!steady || solved.data?.pending ? undefined : solved.data)}
            suspicion={suspicion}
            target={tab === "safe" ? (unread ?? null) : reading}
            lit={lit}
            selected={selected}
            onSelect={setSelected}
          />
        </div>
        {selected && <PartNote schematic={schematic} diagnosis={newest} id={selected} />}
      </div>
      <Tabs.Root
        value={tab}
        onValueChange={(next) => {
          onTab(next);
          // The map shows what the part at hand is about.
          setStateChoice(null);
        }}
        className="flex min-h-0 flex-col border-ink border-l-2 bg-paper"
      >
        <Tabs.List aria-label="Bench" className="flex border-line border-b bg-card">
          <Tabs.Trigger value="safe" className={TAB}>
            Make safe
          </Tabs.Trigger>
          <Tabs.Trigger value="trace" className={TAB}>
            Trace
          </Tabs.Trigger>
          <Tabs.Trigger value="next" className={TAB}>
            Next step
          </Tabs.Trigger>
          <Tabs.Trigger value="suspects" className={TAB}>
            Suspects
          </Tabs.Trigger>
          <Tabs.Trigger value="record" className={TAB}>
            Record {entries.length}
          </Tabs.Trigger>
        </Tabs.List>
        <Leader diagnosis={newest} onOpen={() => onTab("suspects")} />
        <PendingBar items={pending.items} onDismiss={pending.dismiss} />
        {!held && tab !== "record" && (
          <LastKept
            entries={entries}
            onUndo={(id) => keep({ kind: "withdrawal", reason: "" }, id)}
          />
        )}
        {job.circuit_changed && (
          <div className="p-2">
            <CircuitChanged job={job.id} />
          </div>
        )}
        {answer?.trouble && (
          <div className="p-2" role="alert">
            <Notice tone="stop">
              <b>No answer for this record.</b> {answer.trouble} Everything is kept; what does not
              fit can be withdrawn in the record.
            </Notice>
          </div>
        )}
        <div ref={panel} className="min-h-0 flex-1 overflow-auto p-3">
          <Tabs.Content value="safe">
            {safe.error && <Failure error={safe.error} />}
            {safe.data?.plan ? (
              <MakeSafePanel
                plan={safe.data.plan}
                entries={entries}
                suspects={newest.suspects}
                onAdd={keep}
              />
            ) : (
              !safe.error && <p aria-live="polite">The way to zero is being worked out …</p>
            )}
          </Tabs.Content>
          <Tabs.Content value="trace">
            {traced.error && <Failure error={traced.error} />}
            {traced.data?.trace ? (
              <TracePanel
                trace={traced.data.trace}
                entries={entries}
                suspicion={suspicion}
                chosen={followed}
                onChoose={setMove}
                onSelect={setSelected}
                units={workshop.units}
              />
            ) : (
              !traced.error && <p aria-live="polite">The ways are being worked out …</p>
            )}
          </Tabs.Content>
          <Tabs.Content value="next" className="grid gap-3">
            {plan.changed && !held && (
              <Button look="main" className="w-full" onClick={plan.showNewest}>
                The job has changed meanwhile. Show what is next now
              </Button>
            )}
            {!held && <BeforeTests diagnosis={newest} />}
            {chosen && plan.shown ? (
              <StepPanel
                diagnosis={{ ...newest, plan: plan.shown }}
                workshop={workshop}
                revision={job.circuit_revision}
                chosen={chosen}
                conditions={conditionsOf(schematic, chosen.state)}
                pointLabel={pointIndex >= 0 ? `M${pointIndex + 1}` : ""}
                reading={held !== null}
                onRead={(reading) => setHeld(reading ? chosen : null)}
                onMoment={setMoment}
                onChoose={(s) => {
                  setWanted(null);
                  setChosenKey(stepKey(s));
                }}
                schematic={schematic}
                curve={flow.data?.curve ?? null}
                own={own !== null}
                onBack={() => setWanted(null)}
                onDecide={() => onTab("suspects")}
                onKeep={keep}
                onDoubt={(reading) => api.doubts(job.id, reading).then((found) => found.doubts)}
              />
            ) : plan.shown ? (
              <div className="grid gap-3">
                <Notice tone="plain">
                  No reading is left that is worth its minutes. Confirm the leading suspect by eye,
                  then decide.
                </Notice>
                <Button look="main" onClick={() => onTab("suspects")}>
                  Go to the suspects
                </Button>
              </div>
            ) : (
              !answer?.trouble && (
                <div className="grid gap-3" aria-live="polite">
                  <p>The next step is being worked out …</p>
                  <WorkBar wanted={answer?.pending.includes("ranking") ?? true} />
                </div>
              )
            )}
            {plan.shown && !held && !own && (
              <OwnReading
                revision={job.circuit_revision}
                schematic={schematic}
                trouble={judged.data?.trouble ?? judged.error?.message ?? null}
                busy={wanted !== null && (judged.isFetching || (judged.data?.pending ?? false))}
                onAsk={(reading, base) => setWanted({ reading, base })}
              />
            )}
            {plan.shown && !held && <WayOn jobId={job.id} question={answer?.question} />}
          </Tabs.Content>
          <Tabs.Content value="suspects" className="grid gap-3">
            {answer?.diagnosis || answer?.trouble ? (
              <SuspectsPanel
                diagnosis={newest}
                currency={workshop.currency}
                selected={selected}
                onSelect={setSelected}
                onDecide={keep}
              />
            ) : (
              <div className="grid gap-3" aria-live="polite">
                <p>Playing every plausible fault …</p>
                <WorkBar wanted />
              </div>
            )}
            <OilPlan revision={job.circuit_revision} schematic={schematic} units={workshop.units} />
          </Tabs.Content>
          <Tabs.Content value="record" className="grid gap-3">
            <ProvePanel
              job={job}
              entries={entries}
              proof={answer?.proof ?? null}
              workshop={workshop}
              schematic={schematic}
              conditions={(id) => conditionsOf(schematic, id)}
              onAdd={keep}
              onDoubt={(reading) => api.doubts(job.id, reading).then((found) => found.doubts)}
            />
            <RecordPanel job={job} entries={entries} suspects={newest.suspects} onAdd={keep} />
          </Tabs.Content>
        </div>
      </Tabs.Root>
    </main>
  );
}

/**
 * The plan on screen. After one's own entry it gives way at once to the next; when somebody else
 * changed the job it stays under the finger until the new one is asked for.
 */
function useShownPlan(answer: Answer | undefined, acting: boolean) {
  const [shown, setShown] = useState<{ question: string; plan: Plan } | null>(null);
  const acted = useRef(true);
  if (acting) acted.current = true;
  const newest = answer?.diagnosis?.plan;
  const question = answer?.question;
  const current = shown?.question === question;
  useEffect(() => {
    if (!newest || !question || acting) return;
    if (acted.current || current) {
      acted.current = false;
      setShown({ question, plan: newest });
    }
  }, [newest, question, acting, current]);
  const waits = acting || (acted.current && !current);
  return {
    shown: waits ? null : (shown?.plan ?? null),
    changed: !waits && !current && newest !== null && newest !== undefined,
    showNewest: () => {
      if (newest && question) setShown({ question, plan: newest });
    },
  };
}

/** The part of the job that a tab of the bench belongs to. */
export function partAt(tab: string): string {
  return PARTS.find((p) => "tab" in p.place && p.place.tab === tab)?.id ?? "";
}

/** Whether the bench has such a tab: an address may name one that it has not. */
export const isTab = (tab: string) => partAt(tab) !== "";

/** Always in view: who leads, and how the belief is spread. */
function Leader({ diagnosis, onOpen }: { diagnosis: Diagnosis; onOpen: () => void }) {
  const [first, ...rest] = diagnosis.suspects;
  return (
    <button
      type="button"
      onClick={onOpen}
      className="min-h-12 border-line border-b bg-card px-3 py-1.5 text-left"
    >
      <span className="flex h-3 w-full overflow-hidden rounded bg-line" aria-hidden="true">
        {first && <span className="bg-suspect" style={{ width: `${first.share * 100}%` }} />}
        {rest.map((s, i) => (
          <span
            key={s.key}
            className="border-card border-l bg-suspect"
            style={{ width: `${s.share * 100}%`, opacity: 0.6 - i * 0.06 }}
          />
        ))}
      </span>
      <span className="mt-0.5 block truncate text-sm">
        <span className="sr-only">Belief so far: </span>
        {first ? (
          <>
            <b className="text-suspect">{percent(first.share)}</b> {shortTitle(first)}
          </>
        ) : (
          "No suspect stands out"
        )}
      </span>
    </button>
  );
}

function PartNote({
  schematic,
  diagnosis,
  id,
}: {
  schematic: SchematicData;
  diagnosis: Diagnosis;
  id: string;
}) {
  const part = schematic.parts.find((p) => p.id === id);
  if (!part) return null;
  const suspects = diagnosis.suspects.filter((s) => s.faults.some((f) => f.component === id));
  return (
    <p className="border-line border-t bg-card px-3 py-2 text-sm">
      <b>{part.label}</b> · {part.type_label} · {part.location}
      {suspects.map((s) => (
        <span key={s.key} className="ml-2 text-suspect">
          {percent(s.share)} {s.faults[0]?.mode_label}
        </span>
      ))}
    </p>
  );
}

export function JobPage() {
  const { jobId = "" } = useParams();
  const job = useJob(jobId);
  const answer = useAnswer(jobId);
  const workshop = useWorkshop();
  const schematic = useSchematic(job.data?.circuit_revision);
  const pending = usePending(jobId);
  useEvents(jobId);
  // Which part one is at stands in the address: it can be linked to, and a reload stays there.
  const [params, setParams] = useSearchParams();
  const asked = params.get("part");
  const begins = job.data?.decision || job.data?.in_order ? "record" : "next";
  const tab = asked !== null && isTab(asked) ? asked : begins;
  // Without an answer there is still the record, and what does not fit can be withdrawn there.
  const error = job.error ?? workshop.error ?? schematic.error;
  return (
    <Frame
      title={job.data?.machine.name ?? "Job"}
      subtitle={job.data?.complaint}
      actions={
        <>
          <JobParts jobId={jobId} here={partAt(tab)} />
          {/* Its place is kept until the job is there: the links beside it do not move under a tap. */}
          <Link
            to={job.data ? `/machines/${job.data.machine.id}` : ""}
            className={`grid min-h-11 place-items-center whitespace-nowrap rounded-md border border-ink/40 px-3 text-sm font-semibold ${job.data ? "" : "invisible"}`}
          >
            Its record
          </Link>
        </>
      }
    >
      {(error ?? answer.error) && (
        <div className="p-4">
          <Failure error={(error ?? answer.error) as Error} />
        </div>
      )}
      {job.data && workshop.data && schematic.data ? (
        <Bench
          key={jobId}
          job={job.data}
          answer={answer.data}
          workshop={workshop.data}
          schematic={schematic.data}
          pending={pending}
          tab={tab}
          onTab={(next) => setParams({ part: next }, { replace: true })}
        />
      ) : (
        !error && <p className="p-6">Reading the job …</p>
      )}
    </Frame>
  );
}
