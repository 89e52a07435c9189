import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { ApiError, api, type JobCard, type Workshop } from "../../api/client";
import { useEvents } from "../../api/events";
import { useJobs, useWorkshop } from "../../api/queries";
import { FilePick } from "../../ui/FilePick";
import { Frame } from "../../ui/Frame";
import { Button, Failure, Select, Tag } from "../../ui/primitives";
import { WorkBar } from "../../ui/WorkBar";
import { percent } from "../../units";
import { useOpenJob } from "./openJob";

const HEAD_LINK =
  "grid min-h-11 place-items-center rounded-md border border-ink/40 px-4 font-semibold";
const LINK = "flex min-h-11 items-center font-semibold text-way underline underline-offset-4";

function Progress({ job }: { job: JobCard }) {
  if (job.proof === "proved") return <Tag tone="good">Proved</Tag>;
  if (job.proof === "contradicted") return <Tag tone="stop">Repaired, not as it should be</Tag>;
  if (job.proof === "open") return <Tag tone="warn">Repaired, not proved</Tag>;
  if (job.decision) return <Tag tone="good">Part isolated</Tag>;
  if (job.in_order) return <Tag tone="good">In order</Tag>;
  if (job.observations === 0) return <Tag tone="plain">Opened</Tag>;
  return <Tag tone="warn">{job.observations} observations</Tag>;
}

function Card({ job }: { job: JobCard }) {
  return (
    <li>
      <Link
        to={job.observations === 0 ? `/jobs/${job.id}/complaint` : `/jobs/${job.id}`}
        className="grid min-h-32 grid-cols-[1fr_1.3fr_1.2fr] items-center gap-4 rounded-lg border border-line bg-card px-4 py-3 hover:border-way"
      >
        <div>
          <p className="font-bold">{job.machine.name}</p>
          <p className="text-sm text-soft">
            {job.machine.owner} · {job.machine.serial} · {job.machine.hours.toLocaleString("en")}
            &nbsp;h
          </p>
        </div>
        <div>
          <p>{job.complaint}</p>
          <p className="mt-1">
            <Progress job={job} />
          </p>
        </div>
        <div className="text-sm">
          {job.decision || job.in_order ? (
            <p>{job.decision?.action ?? job.in_order?.text}</p>
          ) : (
            <>
              {job.leader && (
                <p className="text-suspect">
                  <b>{percent(job.leader_share ?? 0)}</b> {job.leader}
                </p>
              )}
              <p className="mt-1">
                {job.pending ? (
                  "Working out who it can be …"
                ) : (
                  <>
                    <b>Next:</b> {job.next}
                  </>
                )}
              </p>
            </>
          )}
        </div>
      </Link>
    </li>
  );
}

function NewJob({ workshop }: { workshop: Workshop }) {
  const [machine, setMachine] = useState(String(workshop.machines[0]?.id ?? ""));
  const [complaint, setComplaint] = useState("");
  const { open, opening, error } = useOpenJob();
  return (
    <section className="mb-6 rounded-lg border border-line bg-card px-4 pt-1 pb-4">
      <div className="mb-1 flex items-center justify-between gap-3">
        <h2 className="font-bold">Open a job</h2>
        <span className="flex flex-wrap gap-x-5">
          {machine && (
            <Link to={`/machines/${machine}`} className={LINK}>
              Record of this machine
            </Link>
          )}
          <Link to="/machines/new" className={LINK}>
            A machine that is not in the list
          </Link>
        </span>
      </div>
      <div className="grid grid-cols-[1fr_1.6fr_auto] items-end gap-3">
        <Select
          label="Machine"
          value={machine}
          onChange={setMachine}
          options={workshop.machines.map((m) => ({
            value: String(m.id),
            label: `${m.name} — ${m.owner}`,
          }))}
        />
        <input
          aria-label="Complaint in the customer's words"
          placeholder="Complaint in the customer's words"
          className="min-h-11 rounded-md border border-ink/40 px-3"
          value={complaint}
          onChange={(e) => setComplaint(e.target.value)}
        />
        <Button
          look="main"
          disabled={!complaint.trim() || !machine || opening}
          onClick={() => void open(Number(machine), complaint)}
        >
          Open
        </Button>
      </div>
      {error && (
        <div className="mt-3">
          <Failure error={error} />
        </div>
      )}
    </section>
  );
}

/** A file that somebody wrote with “Everything, to read in”: its jobs, machines and circuits. */
function ReadIn() {
  const [error, setError] = useState<Error | null>(null);
  const [kept, setKept] = useState<number | null>(null);
  const [differs, setDiffers] = useState<File | null>(null);
  const queries = useQueryClient();
  const read = async (chosen: File, keepMine = false) => {
    setError(null);
    setKept(null);
    setDiffers(null);
    try {
      const found = await api.readIn(JSON.parse(await chosen.text()), keepMine);
      setKept(found.jobs.length);
      await queries.invalidateQueries();
    } catch (failure) {
      // What differs is shown, and somebody says whether the jobs are read in all the same.
      if (failure instanceof ApiError && failure.code === "machine_differs") setDiffers(chosen);
      setError(
        failure instanceof SyntaxError
          ? new Error(`${chosen.name} is no file of ours: it is not JSON`)
          : (failure as Error),
      );
    }
  };
  return (
    <section className="mt-3 rounded-lg border border-line bg-card p-4">
      <div className="flex flex-wrap items-center gap-3">
        <h2 className="font-bold">Read jobs in from a file</h2>
        <FilePick
          label="File with jobs"
          accept="application/json"
          onFile={(chosen) => void read(chosen)}
        />
        <p aria-live="polite" className="text-sm text-soft">
          {kept === null
            ? "Record, machine and circuit, as another workshop wrote them."
            : `${kept} ${kept === 1 ? "job is" : "jobs are"} in the list.`}
        </p>
      </div>
      {error && (
        <div className="mt-3">
          <Failure error={error} />
          {differs && (
            <div className="mt-2">
              <Button onClick={() => void read(differs, true)}>
                Read its jobs in; my machines stay as they are here
              </Button>
            </div>
          )}
        </div>
      )}
    </section>
  );
}

const WHICH = { all: null, open: false, decided: true } as const;
const WHICH_LABEL = { all: "All", open: "In work", decided: "Isolated" } as const;
type Which = keyof typeof WHICH;

/** What list there is none in says why. */
function nothing(search: string, which: Which): string {
  if (search.trim()) return "No job matches. Search for a machine, an owner, a serial number.";
  return which === "all" ? "No job yet. Open the first one above." : "No job of that kind.";
}

export function JobsPage() {
  const [search, setSearch] = useState("");
  const [which, setWhich] = useState<Which>("all");
  const jobs = useJobs(search, WHICH[which]);
  const workshop = useWorkshop();
  useEvents(null);
  const pages = jobs.data?.pages ?? [];
  const shown = pages.flatMap((page) => page.jobs);
  const total = pages.at(-1)?.total ?? 0;
  return (
    <Frame
      title={workshop.data?.name ?? "Workshop"}
      subtitle="Jobs"
      actions={
        <nav className="flex gap-2">
          <Link to="/machines" className={HEAD_LINK}>
            Machines
          </Link>
          <Link to="/shop" className={HEAD_LINK}>
            Labour and kit
          </Link>
        </nav>
      }
    >
      <main className="mx-auto w-full max-w-6xl flex-1 overflow-auto p-6">
        {/* What is tapped stands above what grows: answers come to the cards as they are worked out. */}
        {workshop.data && <NewJob workshop={workshop.data} />}
        {/* It comes with what stands above it, so that it does not move under a tap. */}
        <div
          className={`mb-4 flex flex-wrap items-center gap-3 ${workshop.isPending ? "invisible" : ""}`}
        >
          <input
            type="search"
            aria-label="Search the jobs"
            placeholder="Machine, owner, serial number, complaint"
            className="min-h-11 min-w-64 flex-1 rounded-md border border-ink/40 bg-card px-3"
            maxLength={200}
            value={search}
            onChange={(e) => setSearch(e.target.value)}
          />
          <fieldset className="flex gap-1.5" aria-label="Which jobs">
            {(Object.keys(WHICH) as Which[]).map((key) => (
              <Button
                key={key}
                look={which === key ? "chosen" : "plain"}
                aria-pressed={which === key}
                onClick={() => setWhich(key)}
              >
                {WHICH_LABEL[key]}
              </Button>
            ))}
          </fieldset>
        </div>
        {jobs.error && <Failure error={jobs.error} />}
        {(jobs.isPending || workshop.isPending) && <p>Reading the jobs …</p>}
        {jobs.data && shown.length === 0 && <p>{nothing(search, which)}</p>}
        <ul className="mt-3 grid gap-3">
          {(workshop.isPending ? [] : shown).map((job) => (
            <Card key={job.id} job={job} />
          ))}
        </ul>
        {jobs.hasNextPage && (
          <Button
            className="mt-3 w-full"
            disabled={jobs.isFetchingNextPage}
            onClick={() => void jobs.fetchNextPage()}
          >
            Show more: {shown.length} of {total}
          </Button>
        )}
        <ReadIn />
      </main>
      <div className="mx-auto w-full max-w-6xl px-6 pb-3 empty:hidden">
        <WorkBar wanted={shown.some((job) => job.pending)} />
      </div>
    </Frame>
  );
}
