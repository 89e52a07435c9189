import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import { Failure, Notice } from "../../ui/primitives";

/** The machine has another circuit by now than the one this job was opened with: what differs. */
export function CircuitChanged({ job }: { job: string }) {
  const changes = useQuery({ queryKey: ["changes", job], queryFn: () => api.changesOf(job) });
  const found = changes.data ?? [];
  if (changes.error) return <Failure error={changes.error} />;
  // Kept again as it was, it is another circuit by its name alone.
  if (!found.length) return null;
  return (
    <Notice tone="warn">
      <details>
        <summary className="flex min-h-11 cursor-pointer items-center">
          The machine's circuit was changed since this job was opened ({found.length}{" "}
          {found.length === 1 ? "difference" : "differences"}); the job goes on with its own.
        </summary>
        <ul className="list-disc pb-1 pl-5">
          {found.map((c) => (
            <li key={`${c.what}${c.id}${c.field}`}>{c.words}</li>
          ))}
        </ul>
      </details>
    </Notice>
  );
}
