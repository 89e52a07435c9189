import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type JobCard, type Workshop } from "../../api/client";
import { useJobs, useWorkshop } from "../../api/queries";
import { Frame } from "../../ui/Frame";
import { Button, Failure, Select, Tag } from "../../ui/primitives";

function Progress({ job }: { job: JobCard }) {
  if (job.decision) return <Tag tone="good">Part isolated</Tag>;
  if (job.observations === 0) return <Tag tone="plain">Opened</Tag>;
  return <Tag tone="warn">{job.observations} observations</Tag>;
}

function Card({ job }: { job: JobCard }) {
  return (
    <li>
      <Link
        to={job.observations === 0 ? `/jobs/${job.id}/complaint` : `/jobs/${job.id}`}
        className="grid min-h-24 grid-cols-[1fr_1.3fr_1.2fr] items-center gap-4 rounded-lg border border-line bg-card px-4 py-3 hover:border-way"
      >
        <div>
          <p className="font-bold">{job.machine.name}</p>
          <p className="text-sm text-soft">
            {job.machine.owner} · {job.machine.serial} · {job.machine.hours.toLocaleString("en")} h
          </p>
        </div>
        <div>
          <p>{job.complaint}</p>
          <p className="mt-1">
            <Progress job={job} />
          </p>
        </div>
        <div className="text-sm">
          {job.decision ? (
            <p>{job.decision.action}</p>
          ) : (
            <>
              {job.leader && (
                <p className="text-suspect">
                  <b>{Math.round((job.leader_share ?? 0) * 100)} %</b> {job.leader}
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
  const [error, setError] = useState<Error | null>(null);
  const navigate = useNavigate();
  const open = async () => {
    try {
      const job = await api.openJob(Number(machine), complaint.trim());
      navigate(`/jobs/${job.id}/complaint`);
    } catch (failure) {
      setError(failure as Error);
    }
  };
  return (
    <section className="mt-6 rounded-lg border border-line bg-card p-4">
      <h2 className="mb-3 font-bold">Open a job</h2>
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
        <Button look="main" disabled={!complaint.trim() || !machine} onClick={open}>
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

export function JobsPage() {
  const jobs = useJobs();
  const workshop = useWorkshop();
  return (
    <Frame title={workshop.data?.name ?? "Workshop"} subtitle="Jobs">
      <main className="mx-auto w-full max-w-6xl flex-1 overflow-auto p-6">
        {jobs.error && <Failure error={jobs.error} />}
        {jobs.isPending && <p>Reading the jobs …</p>}
        {jobs.data?.length === 0 && <p>No job yet. Open the first one below.</p>}
        <ul className="grid gap-3">
          {jobs.data?.map((job) => (
            <Card key={job.id} job={job} />
          ))}
        </ul>
        {workshop.data && <NewJob workshop={workshop.data} />}
      </main>
    </Frame>
  );
}
