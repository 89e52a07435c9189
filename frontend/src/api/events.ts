import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

/** What each event makes stale. `again` comes after a lost connection: anything may have changed. */
const STALE: Record<string, (job: string) => unknown[][]> = {
  entry: (job) => [["job", job], ["answer", job], ["jobs"]],
  answer: (job) => [["answer", job], ["jobs"]],
  tree: (job) => [["tree", job]],
  own: (job) => [["judged", job]],
  work: () => [["work"]],
  again: () => [["job"], ["answer"], ["jobs"], ["work"], ["tree"]],
};

/** Listen to what happens on the server: about one job, or about all of them. */
export function useEvents(jobId: string | null): void {
  const queries = useQueryClient();
  useEffect(() => {
    if (typeof EventSource === "undefined") return;
    const source = new EventSource(jobId ? `/api/events?job=${jobId}` : "/api/events");
    for (const [kind, stale] of Object.entries(STALE)) {
      source.addEventListener(kind, (event) => {
        for (const queryKey of stale((event as MessageEvent<string>).data)) {
          void queries.invalidateQueries({ queryKey });
        }
      });
    }
    return () => source.close();
  }, [queries, jobId]);
}
