import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import type { Entry } from "../../api/client";
import { useEvents } from "../../api/events";
import { withPending } from "../../api/outbox";
import { useHeard, useJob, usePending, useSchematic } from "../../api/queries";
import { Frame } from "../../ui/Frame";
import { PendingBar } from "../../ui/PendingBar";
import { Button, Failure, Notice } from "../../ui/primitives";
import { OIL, type OilLook, WARMTH, type Warmth, WHEN, type When } from "../../words";
import { JobParts } from "../job/JobParts";
import { sinceRepair } from "../prove/epoch";
import { Heard } from "./Heard";
import { MoveRow } from "./MoveRow";
import { AGAINST, type Against, againstOf, behaviourOf, entryOf, type Told, toldBy } from "./told";

export function ComplaintPage() {
  const { jobId = "" } = useParams();
  const navigate = useNavigate();
  const job = useJob(jobId);
  const schematic = useSchematic(job.data?.circuit_revision);
  const pending = usePending(jobId);
  useEvents(jobId);
  const [when, setWhen] = useState<When>("warm");
  // After a repair the words are about the machine as it is now; those before stay as they are.
  const entries = sinceRepair(withPending(job.data?.entries ?? [], pending.items));
  const oil = entries.findLast((e) => e.standing && e.data.kind === "oil");
  const warm = entries.findLast((e) => e.standing && e.data.kind === "warmth");

  const moves = (schematic.data?.functions ?? []).flatMap((f) =>
    f.moves.map((move) => ({ f, move, entry: entryOf(entries, f.id, move.id, when) })),
  );
  const remarks = Object.fromEntries(
    (schematic.data?.remarks ?? []).map((one) => [one.name, one.words]),
  );
  const heard = useHeard(job.data?.circuit_revision, job.data?.complaint);
  const untold = moves.filter((m) => !m.entry);

  const [said, setAgainst] = useState<Against>();
  const against = said ?? againstOf(entries);

  const tell = (functionId: string, move: string, told: Told, before: Entry | undefined) => {
    const data = behaviourOf(told, functionId, move, when, against);
    if (data) pending.add(data, before?.id);
  };
  const compare = (value: Against) => {
    setAgainst(value);
    // What was told already means the same words, compared with something else.
    for (const e of entries)
      if (e.standing && e.data.kind === "behaviour" && !e.data.told_before)
        pending.add({ ...e.data, id: "new", against: value }, e.id);
  };
  const othersAsUsual = () => {
    for (const { f, move } of untold)
      tell(f.id, move.id, { hows: ["as_usual"], remarks: [] }, undefined);
  };
  const look = (value: OilLook) => {
    if (oil?.data.kind === "oil" && oil.data.look === value) return;
    pending.add({ kind: "oil", id: "new", look: value }, oil?.id);
  };
  const feel = (value: Warmth) => {
    if (warm?.data.kind === "warmth" && warm.data.warmth === value) return;
    pending.add({ kind: "warmth", id: "new", warmth: value }, warm?.id);
  };

  return (
    <Frame
      title={job.data?.machine.name ?? "Job"}
      subtitle={job.data?.complaint}
      actions={
        <>
          <JobParts jobId={jobId} here="complaint" />
          <Button
            look="main"
            className="whitespace-nowrap"
            onClick={() => navigate(`/jobs/${jobId}`)}
          >
            To the bench
          </Button>
        </>
      }
    >
      <main className="mx-auto w-full max-w-6xl flex-1 overflow-auto p-5">
        {job.error && <Failure error={job.error} />}
        <PendingBar items={pending.items} onDismiss={pending.dismiss} />
        <div className="mb-4 flex flex-wrap items-center justify-between gap-3">
          <h2 className="font-bold text-lg">How does each function behave?</h2>
          <fieldset className="flex gap-1.5" aria-label="When">
            {(Object.keys(WHEN) as When[]).map((key) => (
              <Button
                key={key}
                look={when === key ? "chosen" : "plain"}
                aria-pressed={when === key}
                onClick={() => setWhen(key)}
              >
                {WHEN[key]}
              </Button>
            ))}
          </fieldset>
        </div>
        <fieldset className="mb-3 flex flex-wrap items-center gap-1.5" aria-label="Compared with">
          <span className="mr-1">Compared with</span>
          {(Object.keys(AGAINST) as Against[]).map((key) => (
            <Button
              key={key}
              look={against === key ? "chosen" : "plain"}
              aria-pressed={against === key}
              onClick={() => against !== key && compare(key)}
            >
              {AGAINST[key]}
            </Button>
          ))}
        </fieldset>
        <Heard
          offers={(heard.data ?? []).filter(
            ({ entry: e }) => !entryOf(entries, e.function, e.move, e.when ?? "warm"),
          )}
          onTaken={(entry) => pending.add({ ...entry, against })}
        />
        <div className="grid gap-2.5">
          {moves.map(({ f, move, entry }) => (
            <MoveRow
              key={`${f.id}.${move.id}`}
              label={f.label}
              move={move.label}
              told={toldBy(entry)}
              remarks={remarks}
              onTold={(told) => tell(f.id, move.id, told, entry)}
            />
          ))}
        </div>
        {untold.length > 0 && untold.length < moves.length && (
          <div className="mt-3">
            <Button onClick={othersAsUsual}>All others as usual ({untold.length})</Button>
          </div>
        )}
        <h2 className="mt-6 mb-2 font-bold text-lg">Free look: the oil</h2>
        <div className="flex flex-wrap items-center gap-1.5 rounded-lg border border-line bg-card px-4 py-2.5">
          {(Object.keys(OIL) as OilLook[]).map((key) => {
            const chosen = oil?.data.kind === "oil" && oil.data.look === key;
            return (
              <Button
                key={key}
                look={chosen ? "chosen" : "plain"}
                aria-pressed={chosen}
                onClick={() => look(key)}
              >
                {OIL[key]}
              </Button>
            );
          })}
          {schematic.data?.notes.level && (
            <span className="ml-3 text-sm text-soft">{schematic.data.notes.level}</span>
          )}
        </div>
        {schematic.data?.warmth_weighed && (
          <>
            <h2 className="mt-6 mb-2 font-bold text-lg">How warm the oil gets at work</h2>
            <div className="flex flex-wrap items-center gap-1.5 rounded-lg border border-line bg-card px-4 py-2.5">
              {(Object.keys(WARMTH) as Warmth[]).map((key) => {
                const chosen = warm?.data.kind === "warmth" && warm.data.warmth === key;
                return (
                  <Button
                    key={key}
                    look={chosen ? "chosen" : "plain"}
                    aria-pressed={chosen}
                    onClick={() => feel(key)}
                  >
                    {WARMTH[key]}
                  </Button>
                );
              })}
              <span className="ml-3 text-sm text-soft">
                After an hour of ordinary work; a thermometer in the tank says more.
              </span>
            </div>
          </>
        )}
        <div className="mt-5 grid gap-2">
          <Notice tone="plain">
            First rule out the controls: drive engaged, lever linked to its spool, guard and
            interlocks made. Functions that still work matter as much as those that fail.
          </Notice>
          {job.data?.machine.recent_work && (
            <Notice tone="warn">
              Recent work on this machine: {job.data.machine.recent_work} A fault that follows a
              repair is often in the repair.
            </Notice>
          )}
        </div>
      </main>
    </Frame>
  );
}
