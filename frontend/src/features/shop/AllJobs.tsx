import { useState } from "react";
import { useExport } from "../../api/queries";
import { Button, Failure } from "../../ui/primitives";
import { WorkBar } from "../../ui/WorkBar";

/** Everything the shop has kept, as files: written in the background, then to be saved. */
export function AllJobs() {
  const [wanted, setWanted] = useState(false);
  const written = useExport(wanted);
  const ready = wanted && written.data && !written.data.pending;
  return (
    <section className="grid gap-2 rounded-lg border border-line bg-card p-3">
      <h2 className="font-bold">Everything, as files</h2>
      <p className="text-sm text-soft">
        All jobs with their records, machines and circuits: one file for each circuit, each to be
        read in again.
      </p>
      {ready ? (
        <a
          className="grid min-h-11 place-items-center rounded-md border border-way bg-way px-4 font-semibold text-white"
          href={`/api/exports/${written.data.standing}.zip`}
          download="umweg-all-jobs.zip"
          // What is asked for next is written as the shop stands then.
          onClick={() => setWanted(false)}
        >
          Save the archive
        </a>
      ) : (
        <Button disabled={wanted} onClick={() => setWanted(true)}>
          {wanted ? "Being written …" : "Write all jobs"}
        </Button>
      )}
      <WorkBar wanted={wanted && !ready} task="export_all" />
      {written.error && <Failure error={written.error} />}
    </section>
  );
}
