import { type ReactNode, useState } from "react";
import { Link, useParams } from "react-router";
import type { Entry, Job, Proof, Schematic, Workshop } from "../../api/client";
import { useAnswer, useJob, useSchematic, useWorkshop } from "../../api/queries";
import { Frame } from "../../ui/Frame";
import { Button, Failure } from "../../ui/primitives";
import { show, showBand } from "../../units";
import { ALWAYS_CAUTIONS, VERDICT } from "../../words";
import { JobParts } from "../job/JobParts";
import { repairsOf } from "../prove/epoch";
import { Value } from "../prove/ProvePanel";
import { type Repaired, remaining, repairHistory } from "../prove/proofs";
import { goneOn } from "../safe/GoneOn";

type Of<K extends Entry["data"]["kind"]> = Entry & { data: Extract<Entry["data"], { kind: K }> };

/** The standing entries of one kind, in order. */
export function standing<K extends Entry["data"]["kind"]>(job: Job, kind: K): Of<K>[] {
  return job.entries.filter((e): e is Of<K> => e.standing && e.data.kind === kind);
}

function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="break-inside-avoid border-line border-t py-3">
      <h2 className="mb-1 font-bold text-lg">{title}</h2>
      {children}
    </section>
  );
}

function Readings({ job }: { job: Job }) {
  const rows = standing(job, "reading");
  const accepted = new Map(standing(job, "acceptance").map((e) => [e.data.reading, e.data.reason]));
  if (!rows.length) return <p>Nothing was measured.</p>;
  return (
    <table className="w-full border-collapse text-left text-sm">
      <thead>
        <tr className="border-ink border-b">
          <th scope="col">Reading</th>
          <th scope="col">Value</th>
          <th scope="col">Specified</th>
          <th scope="col">Result</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((e) => (
          <tr key={e.id} className="border-line border-b align-top">
            <td className="py-1 pr-3">{e.words}</td>
            <td className="whitespace-nowrap py-1 pr-3">
              {e.value_base === null ? "" : `${show(e.value_base)} ${e.unit_base}`}
            </td>
            <td className="whitespace-nowrap py-1 pr-3">
              {e.verdict
                ? showBand(e.verdict.low ?? -1e9, e.verdict.high ?? 1e9, e.unit_base ?? "")
                : "not specified"}
            </td>
            <td className="py-1">
              {e.verdict ? (VERDICT[e.verdict.word]?.word ?? e.verdict.word) : ""}
              {accepted.has(e.id) && <span className="block">Accepted: {accepted.get(e.id)}</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Finding({ job, schematic }: { job: Job; schematic: Schematic }) {
  const made = job.decision;
  if (job.in_order) return <p>No fault was found. {job.in_order.text}</p>;
  if (!made) return <p>The cause is not isolated yet; the work goes on.</p>;
  const part = schematic.parts.find((p) => p.id === made.component);
  return (
    <>
      <p>
        The fault was isolated to: <b>{part?.label ?? made.component}</b>
        {part?.location ? `, ${part.location}` : ""}.
      </p>
      <p>{made.action}</p>
    </>
  );
}

function Words({ entries }: { entries: Entry[] }) {
  if (!entries.length) return <p>Nothing.</p>;
  return (
    <ul className="list-disc pl-5">
      {entries.map((e) => (
        <li key={e.id}>{e.words}</li>
      ))}
    </ul>
  );
}

const NOT_AGAIN = "was outside its specification and has not been read since the repair";

/** Words of a reading without what was read: place and state. */
const withoutValue = (words: string) => words.replace(/( [-−]?\d[\d.,e+ ]*)+ \S+ — /, " — ");

/** One repair, and what was read before it beside what was read after it. */
function Repair({ repaired, proofs }: Repaired) {
  const read = proofs.filter((p) => p.after);
  return (
    <div className="break-inside-avoid pb-2">
      <p>
        <span className="text-soft">{when(repaired.created_at)} · </span>
        {repaired.words}
      </p>
      {read.length === 0 ? (
        <p className="text-soft">Nothing was read again after it.</p>
      ) : (
        <table className="mt-1 w-full border-collapse text-left text-sm">
          <thead>
            <tr className="border-ink border-b">
              <th scope="col">Read again</th>
              <th scope="col">Before</th>
              <th scope="col">After</th>
            </tr>
          </thead>
          <tbody>
            {read.map((p) => (
              <tr key={p.before.id} className="border-line border-b align-top">
                <td className="py-1 pr-3">{withoutValue(p.before.words)}</td>
                <td className="py-1 pr-3">
                  <Value entry={p.before} />
                </td>
                <td className="py-1">{p.after && <Value entry={p.after} />}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

const when = (time: string) =>
  new Date(time).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });

function FullRecord({ job }: { job: Job }) {
  return (
    <Section title="Full record">
      <ol className="grid gap-1 text-sm">
        {job.entries.map((e) => (
          <li key={e.id} className="grid grid-cols-[2rem_11rem_1fr] gap-2">
            <span>{e.sequence}.</span>
            <span>{when(e.created_at)}</span>
            <span className={e.standing ? "" : "line-through"}>
              {e.words}
              {e.author && <span className="text-soft"> · {e.author}</span>}
            </span>
          </li>
        ))}
      </ol>
    </Section>
  );
}

function standOf(job: Job, proof: Proof | null): string {
  if (job.in_order) return "In order";
  if (!job.decision) return "Open";
  if (!repairsOf(job.entries).length) return "Cause isolated";
  return proof?.word === "proved" ? "Repaired and proved" : "Repaired, not proved";
}

/** The job on paper: plain words for the customer, or the whole record for the shop. No odds. */
export function Report({
  job,
  workshop,
  schematic,
  full,
  proof,
}: {
  job: Job;
  proof: Proof | null;
  workshop: Workshop;
  schematic: Schematic;
  full: boolean;
}) {
  const { machine } = job;
  const history = repairHistory(job.entries);
  const remains = remaining(job.entries);
  const unsafe = goneOn(job.entries);
  const seen = job.entries.filter((e) => e.standing && e.looked);
  return (
    <article className="mx-auto max-w-3xl bg-card p-8 print:max-w-none print:p-0">
      <header className="flex justify-between gap-6 pb-3">
        <div>
          <p className="font-bold">{workshop.name}</p>
          <h1 className="font-bold text-2xl">{machine.name}</h1>
          <p>
            {machine.owner}
            {machine.serial && ` · serial ${machine.serial}`}
            {machine.hours > 0 && ` · ${machine.hours} h`}
          </p>
        </div>
        <p className="text-right text-sm">
          Opened {when(job.created_at)}
          <br />
          {standOf(job, proof)}
        </p>
      </header>
      <Section title="Complaint">
        <p>{job.complaint}</p>
        <Words entries={standing(job, "behaviour")} />
      </Section>
      <Section title="Finding">
        <Finding job={job} schematic={schematic} />
      </Section>
      {history.length > 0 && (
        <Section title={proof?.word === "proved" ? "Done and proved" : "Done"}>
          <p className="pb-1">
            <b>{proof?.words ?? "Repaired, not proved."}</b>
          </p>
          {proof && proof.word !== "proved" && (
            <ul className="list-disc pl-5 pb-2">
              {proof.asked
                .filter((a) => a.shown !== "sound")
                .map((a) => (
                  <li key={a.before}>{a.words}: to be shown again</li>
                ))}
            </ul>
          )}
          {history.map((r) => (
            <Repair key={r.repaired.id} {...r} />
          ))}
        </Section>
      )}
      <Section title="Measured">
        <Readings job={job} />
      </Section>
      <Section title="Looked at">
        <Words entries={seen} />
      </Section>
      {remains.length > 0 && (
        <Section title="What remains">
          <ul className="list-disc pl-5">
            {remains.map(({ entry, why }) => (
              <li key={entry.id}>
                {entry.words}: {why === "outside" ? "outside its specification" : NOT_AGAIN}
              </li>
            ))}
          </ul>
        </Section>
      )}
      {unsafe.length > 0 && (
        <Section title="Done while not at zero">
          <ul className="list-disc pl-5">
            {unsafe.map((words) => (
              <li key={words}>{words}</li>
            ))}
          </ul>
        </Section>
      )}
      {standing(job, "note").length > 0 && (
        <Section title="Remarks">
          <Words entries={standing(job, "note")} />
        </Section>
      )}
      {full && <FullRecord job={job} />}
      <Section title="Take care">
        <ul className="list-disc pl-5 text-sm">
          {ALWAYS_CAUTIONS.map((text) => (
            <li key={text}>{text}</li>
          ))}
        </ul>
      </Section>
    </article>
  );
}

const TOOL =
  "grid min-h-11 place-items-center rounded-md border border-ink/40 bg-card px-4 font-semibold";

export function ReportPage() {
  const { jobId = "" } = useParams();
  const answer = useAnswer(jobId);
  const job = useJob(jobId);
  const workshop = useWorkshop();
  const schematic = useSchematic(job.data?.circuit_revision);
  const [full, setFull] = useState(false);
  const error = job.error ?? workshop.error ?? schematic.error;
  return (
    <Frame
      title="Report"
      subtitle={job.data?.machine.name}
      actions={
        <>
          <JobParts jobId={jobId} here="report" />
          <Link to={`/jobs/${jobId}`} className={TOOL}>
            Back to the job
          </Link>
        </>
      }
    >
      <main className="min-h-0 flex-1 overflow-auto p-4 print:overflow-visible print:p-0">
        <div className="mx-auto mb-4 flex max-w-3xl flex-wrap gap-2 print:hidden">
          <Button
            look={full ? "plain" : "chosen"}
            aria-pressed={!full}
            onClick={() => setFull(false)}
          >
            For the customer
          </Button>
          <Button
            look={full ? "chosen" : "plain"}
            aria-pressed={full}
            onClick={() => setFull(true)}
          >
            Full record
          </Button>
          <Button look="main" onClick={() => window.print()}>
            Print or save as PDF
          </Button>
          <a className={TOOL} href={`/api/jobs/${jobId}/readings.csv`} download>
            Readings as CSV
          </a>
          <a className={TOOL} href={`/api/jobs/${jobId}/export`} download={`job-${jobId}.json`}>
            Job as JSON
          </a>
          <a className={TOOL} href={`/api/jobs/${jobId}/bundle`} download={`bundle-${jobId}.json`}>
            Everything, to read in
          </a>
        </div>
        {error && <Failure error={error as Error} />}
        {job.data && workshop.data && schematic.data ? (
          <Report
            job={job.data}
            proof={answer.data?.proof ?? null}
            workshop={workshop.data}
            schematic={schematic.data}
            full={full}
          />
        ) : (
          !error && <p>Reading the job …</p>
        )}
      </main>
    </Frame>
  );
}
