import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, type MachineRecord } from "../../api/client";
import { useMachineRecord } from "../../api/queries";
import { Frame } from "../../ui/Frame";
import { Button, Failure, FIELD, Notice } from "../../ui/primitives";
import { show, typedNumber } from "../../units";
import { useOpenJob } from "../jobs/openJob";
import { TrendChart } from "./Trend";

const LINK = "flex min-h-11 items-center font-semibold text-way underline underline-offset-4";

/** Hours and recent work as they are now; what was opened before keeps its own hours. */
function Card({ record }: { record: MachineRecord }) {
  const { machine } = record;
  const [hours, setHours] = useState(String(machine.hours));
  const [work, setWork] = useState(machine.recent_work);
  const [error, setError] = useState<Error | null>(null);
  const [saving, setSaving] = useState(false);
  const queries = useQueryClient();
  const number = typedNumber(hours);
  const fine = number >= 0 && number <= 1e6;
  const changed = fine && (number !== machine.hours || work !== machine.recent_work);
  const save = async () => {
    setSaving(true);
    setError(null);
    try {
      await api.changeMachine(machine.id, { hours: number, recent_work: work });
      await queries.invalidateQueries();
    } catch (failure) {
      setError(failure as Error);
    }
    setSaving(false);
  };
  return (
    <section className="grid gap-2 rounded-lg border border-line bg-card p-3">
      <h2 className="font-bold">The machine now</h2>
      <label className="grid gap-1 text-sm">
        Hours
        <input
          inputMode="decimal"
          className={FIELD}
          value={hours}
          aria-invalid={!fine}
          onChange={(e) => setHours(e.target.value)}
        />
      </label>
      {!fine && <p className="text-sm text-stop">Hours are a number from 0 to a million.</p>}
      <label className="grid gap-1 text-sm">
        Work done on it lately
        <textarea
          className={`${FIELD} min-h-20 py-2`}
          maxLength={2000}
          value={work}
          onChange={(e) => setWork(e.target.value)}
        />
      </label>
      <Button look={changed ? "main" : "plain"} disabled={!changed || saving} onClick={save}>
        Keep hours and work
      </Button>
      {error && <Failure error={error} />}
    </section>
  );
}

function OpenJob({ machineId }: { machineId: number }) {
  const [complaint, setComplaint] = useState("");
  const { open, opening, error } = useOpenJob();
  return (
    <section className="grid gap-2 rounded-lg border border-line bg-card p-3">
      <h2 className="font-bold">Open a job on it</h2>
      <input
        aria-label="Complaint in the customer's words"
        placeholder="Complaint in the customer's words"
        className={FIELD}
        value={complaint}
        onChange={(e) => setComplaint(e.target.value)}
      />
      <Button
        look="main"
        disabled={!complaint.trim() || opening}
        onClick={() => void open(machineId, complaint)}
      >
        Open
      </Button>
      {error && <Failure error={error} />}
    </section>
  );
}

function PastJobs({ record }: { record: MachineRecord }) {
  return (
    <section>
      <h2 className="mb-2 font-bold">Its jobs</h2>
      {record.jobs.length === 0 && <p className="text-soft">None yet.</p>}
      <ol className="grid gap-2">
        {record.jobs.map((job) => (
          <li key={job.id}>
            <Link
              to={`/jobs/${job.id}`}
              className="block min-h-11 rounded-lg border border-line bg-card px-3 py-2 hover:border-way"
            >
              <span className="flex justify-between gap-3 text-sm text-soft">
                <span>{new Date(job.created_at).toLocaleDateString("en-GB")}</span>
                <span>{job.hours.toLocaleString("en")} h</span>
              </span>
              <span className="block font-semibold">{job.complaint}</span>
              <span className="block text-sm">
                {job.found ? (
                  <>
                    Found: <b className="text-suspect">{job.found}</b>
                  </>
                ) : (
                  (job.in_order ?? "Still open")
                )}
              </span>
              {job.done.map((d) => (
                <span key={d.done_at} className="block text-sm">
                  Done: {d.part}. {d.text}
                </span>
              ))}
            </Link>
          </li>
        ))}
      </ol>
    </section>
  );
}

function Baseline({ record }: { record: MachineRecord }) {
  return (
    <section>
      <h2 className="mb-1 font-bold">What it shows when it is in order</h2>
      {record.baseline.length === 0 ? (
        <Notice tone="plain">
          Nothing yet. Readings taken after a repair, or in a job that finds nothing wrong, become
          this machine's own baseline when none is outside its specification: the next job expects
          them, not only the book's values.
        </Notice>
      ) : (
        <>
          <p className="mb-2 text-sm text-soft">
            The next job begins with these; they count the less, the more hours and new parts came
            since.
          </p>
          <ul className="grid gap-1">
            {record.baseline.map((earlier) => (
              <li
                key={earlier.words}
                className="rounded-md border border-line bg-card px-3 py-2 text-sm"
              >
                {earlier.words}
                <span className="block text-soft">
                  At {earlier.hours.toLocaleString("en")} h
                  {earlier.renewed_since.length > 0 &&
                    ` · since then: ${earlier.renewed_since.join(", ")}`}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

/** What the baseline says of the circuit's numbers: as documented, and as this machine has them. */
function Settled({ record }: { record: MachineRecord }) {
  if (record.settled === null)
    return <p aria-live="polite">What these readings settle is being worked out …</p>;
  if (!record.settled.length) return null;
  return (
    <section>
      <h2 className="mb-2 font-bold">Its own numbers, by these readings</h2>
      <table className="w-full rounded-md bg-card text-left text-sm">
        <thead>
          <tr className="border-ink border-b">
            <th scope="col" className="px-3 py-2">
              Number
            </th>
            <th scope="col" className="text-right">
              By the papers
            </th>
            <th scope="col" className="px-3 text-right">
              This machine
            </th>
          </tr>
        </thead>
        <tbody>
          {record.settled.map((s) => (
            <tr key={`${s.component}.${s.parameter}`} className="border-line border-b">
              <td className="px-3 py-2">
                <b>{s.label}</b>, {s.description}
              </td>
              <td className="whitespace-nowrap text-right">
                {show(s.documented)} ± {show(s.spread_before)} {s.unit}
              </td>
              <td className="whitespace-nowrap px-3 text-right font-semibold">
                {show(s.value)} ± {show(s.spread)} {s.unit}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** A machine over all its jobs. */
export function HistoryPage() {
  const { machineId = "" } = useParams();
  const record = useMachineRecord(Number(machineId));
  const found = record.data;
  return (
    <Frame
      title={found?.machine.name ?? "Machine"}
      subtitle={
        found &&
        [found.machine.owner, found.machine.serial, found.circuit_name].filter(Boolean).join(" · ")
      }
    >
      <main className="min-h-0 flex-1 overflow-auto p-4">
        {record.error && <Failure error={record.error} />}
        {!found && !record.error && <p>Reading the machine's record …</p>}
        {found && (
          <div className="grid grid-cols-[22rem_1fr] items-start gap-4 max-[900px]:grid-cols-1">
            <div className="grid gap-4">
              <Card key={found.machine.id} record={found} />
              <OpenJob machineId={found.machine.id} />
              <nav className="grid gap-1">
                <Link to={`/machines/new?machine=${found.machine.id}`} className={LINK}>
                  Change its circuit
                </Link>
                <Link to={`/fleets/${found.machine.circuit_id}`} className={LINK}>
                  All machines with this circuit
                </Link>
              </nav>
              <PastJobs record={found} />
            </div>
            <div className="grid gap-4">
              <section>
                <h2 className="font-bold">Read again and again</h2>
                <p className="mb-2 text-sm text-soft">
                  A cross is outside the specification; a dotted line marks what was read after a
                  repair.
                </p>
                {found.trends.length === 0 ? (
                  <p className="text-soft">Nothing was read twice at the same place yet.</p>
                ) : (
                  <div className="grid grid-cols-2 gap-3 max-[1100px]:grid-cols-1">
                    {found.trends.map((t) => (
                      <TrendChart key={`${t.quantity}/${t.place}/${t.state}`} trend={t} />
                    ))}
                  </div>
                )}
              </section>
              <Baseline record={found} />
              <Settled record={found} />
            </div>
          </div>
        )}
      </main>
    </Frame>
  );
}
