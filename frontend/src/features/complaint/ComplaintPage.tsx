import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import type { Entry, Schemas } from "../../api/client";
import { useEvents } from "../../api/events";
import { withPending } from "../../api/outbox";
import { useJob, usePending, useSchematic } from "../../api/queries";
import { Frame } from "../../ui/Frame";
import { PendingBar } from "../../ui/PendingBar";
import { Button, Failure, Notice } from "../../ui/primitives";
import { HOW, type How, OIL, type OilLook, WHEN, type When } from "../../words";
import { sinceRepair } from "../prove/epoch";

type Behaviour = Schemas["Behaviour"];

/** The behaviour that stands for a move and a temperature; a second one corrects the first. */
function told(entries: Entry[], functionId: string, move: string, when: When) {
  return entries.findLast(
    (e) =>
      e.standing &&
      e.data.kind === "behaviour" &&
      e.data.function === functionId &&
      e.data.move === move &&
      e.data.when === when,
  );
}

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

  const tell = (functionId: string, move: string, how: How) => {
    const old = told(entries, functionId, move, when);
    if (old && (old.data as Behaviour).how === how) return;
    const data = { kind: "behaviour", id: "new", function: functionId, move, how, when } as const;
    pending.add(data, old?.id);
  };
  const look = (value: OilLook) => {
    if (oil?.data.kind === "oil" && oil.data.look === value) return;
    pending.add({ kind: "oil", id: "new", look: value }, oil?.id);
  };

  return (
    <Frame
      title={job.data?.machine.name ?? "Job"}
      subtitle={job.data?.complaint}
      actions={
        <Button look="main" onClick={() => navigate(`/jobs/${jobId}`)}>
          To the bench
        </Button>
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
        <div className="grid gap-2.5">
          {schematic.data?.functions.flatMap((f) =>
            f.moves.map((move) => {
              const said = told(entries, f.id, move.id, when);
              const how = said ? (said.data as Behaviour).how : null;
              return (
                <fieldset
                  key={`${f.id}.${move.id}`}
                  aria-label={`${f.label} ${move.label}`}
                  className="grid grid-cols-[13rem_1fr] items-center gap-3 rounded-lg border border-line bg-card px-4 py-2.5"
                >
                  <span className="font-bold">
                    {f.label} <span className="font-normal">{move.label}</span>
                  </span>
                  <div className="flex flex-wrap gap-1.5">
                    {(Object.keys(HOW) as How[]).map((key) => (
                      <Button
                        key={key}
                        look={how === key ? "chosen" : "plain"}
                        aria-pressed={how === key}
                        onClick={() => tell(f.id, move.id, key)}
                      >
                        {HOW[key]}
                      </Button>
                    ))}
                  </div>
                </fieldset>
              );
            }),
          )}
        </div>
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
