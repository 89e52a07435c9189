import {
  type InfiniteData,
  type QueryClient,
  useInfiniteQuery,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { createContext, useCallback, useContext, useSyncExternalStore } from "react";
import {
  type Answer,
  api,
  type Entry,
  type EntryAdded,
  type EntryData,
  type Job,
  type Lack,
  newKey,
  type Reading,
  type RefillAsked,
} from "./client";
import { type Item, Outbox } from "./outbox";

export const useWorkshop = () => useQuery({ queryKey: ["workshop"], queryFn: api.workshop });

export const useMachineRecord = (id: number) =>
  useQuery({ queryKey: ["machine", id], queryFn: () => api.machineRecord(id) });

/** Every type of part; they change only with the program. */
export const useTypes = () =>
  useQuery({ queryKey: ["types"], queryFn: api.types, staleTime: Number.POSITIVE_INFINITY });

function foundTypes(text: string) {
  const asked = text.trim().slice(0, 80);
  return {
    queryKey: ["types", asked],
    queryFn: () => api.foundTypes(asked),
    enabled: asked !== "",
    staleTime: Number.POSITIVE_INFINITY,
  };
}

/** Types by the words of the trade, and a way to wait for those of the words that stand there now. */
export function useFoundTypes(text: string) {
  const queries = useQueryClient();
  const asked = foundTypes(text);
  const { data } = useQuery({ ...asked, placeholderData: (before) => before });
  return {
    found: asked.enabled ? data : undefined,
    now: async () => (asked.enabled ? queries.ensureQueryData(asked) : undefined),
  };
}

/** How often to ask for what is pending where the server cannot tell by itself. */
const ASK_AGAIN_MS = typeof EventSource === "undefined" ? 1000 : 10_000;
const STATE_AGAIN_MS = 1000;

export const useJobs = (search: string, decided: boolean | null) =>
  useInfiniteQuery({
    queryKey: ["jobs", search, decided],
    queryFn: ({ pageParam }) => api.jobs(search, decided, pageParam),
    initialPageParam: 0,
    getNextPageParam: (last) => {
      const next = last.offset + last.jobs.length;
      return next < last.total && last.jobs.length ? next : undefined;
    },
    refetchInterval: (query) => {
      const pages = (query.state.data as InfiniteData<Awaited<ReturnType<typeof api.jobs>>>)?.pages;
      return pages?.some((p) => p.jobs.some((j) => j.pending)) ? ASK_AGAIN_MS : false;
    },
  });

export const useJob = (id: string) =>
  useQuery({ queryKey: ["job", id], queryFn: () => api.job(id) });

export const useAnswer = (id: string) =>
  useQuery({
    queryKey: ["answer", id],
    queryFn: () => api.answer(id),
    refetchInterval: (query) => (query.state.data?.pending.length ? ASK_AGAIN_MS : false),
  });

/** The way on from a question, so many steps deep; asked for only where somebody looks at it. */
export const useTree = (id: string, question: string | undefined, depth: number, wanted: boolean) =>
  useQuery({
    queryKey: ["tree", id, question, depth],
    queryFn: () => api.tree(id, depth),
    enabled: wanted && question !== undefined,
    placeholderData: (previous, query) => (query?.queryKey[2] === question ? previous : undefined),
    refetchInterval: (query) => (query.state.data?.pending ? ASK_AGAIN_MS : false),
  });

/** What can be read of a machine, and in which states; asked for only where somebody looks. */
/** What the customer's sentence may mean, in words that can be tapped. */
export const useHeard = (revision: number | undefined, text: string | undefined) =>
  useQuery({
    queryKey: ["heard", revision, text],
    queryFn: () => api.heard(revision ?? 0, text ?? ""),
    enabled: revision !== undefined && Boolean(text),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useReadable = (revision: number, wanted: boolean) =>
  useQuery({
    queryKey: ["readable", revision],
    queryFn: () => api.readable(revision),
    enabled: wanted,
    staleTime: Number.POSITIVE_INFINITY,
  });

/** What is watched in a timing: of the healthy machine, or with a fault; null asks for nothing. */
export const useCurve = (revision: number, timing: string, fault: string | null) =>
  useQuery({
    queryKey: ["curve", revision, timing, fault],
    queryFn: () => api.curve(revision, timing, fault ?? ""),
    enabled: fault !== null,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
    refetchInterval: (query) => (query.state.data?.pending ? STATE_AGAIN_MS : false),
  });

/** Oil for a repair; nothing is asked before the tank's volume is known. */
export const useRefill = (revision: number, asked: RefillAsked | null) =>
  useQuery({
    queryKey: ["refill", revision, asked],
    queryFn: () => api.refill(revision, asked as RefillAsked),
    enabled: asked !== null,
    retry: false,
  });

/** All jobs as files, as they stand when they are asked for; asked again until they are written. */
export const useExport = (wanted: boolean) =>
  useQuery({
    queryKey: ["export"],
    queryFn: api.writeAll,
    enabled: wanted,
    gcTime: 0,
    refetchInterval: (query) => (query.state.data?.pending ? STATE_AGAIN_MS : false),
  });

/** A reading of one's own, judged for the job as it stands. */
export const useJudged = (id: string, question: string | undefined, reading: Reading | null) =>
  useQuery({
    queryKey: ["judged", id, question, reading],
    queryFn: () => api.judged(id, reading as Reading),
    enabled: reading !== null && question !== undefined,
    refetchInterval: (query) => (query.state.data?.pending ? STATE_AGAIN_MS : false),
  });

export const useWork = (wanted: boolean) =>
  useQuery({
    queryKey: ["work"],
    queryFn: api.work,
    enabled: wanted,
    refetchInterval: wanted ? ASK_AGAIN_MS : false,
  });

export const useSchematic = (revision: number | undefined) =>
  useQuery({
    queryKey: ["schematic", revision],
    queryFn: () => api.schematic(revision ?? 0),
    enabled: revision !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
  });

/** A state's steady numbers; none for a state that only passes. */
export const useSolvedState = (revision: number, state: string | null, suspect: string | null) =>
  useQuery({
    queryKey: ["state", revision, state, suspect],
    queryFn: () => api.state(revision, state ?? "", suspect),
    enabled: state !== null,
    staleTime: Number.POSITIVE_INFINITY,
    refetchInterval: (query) => (query.state.data?.pending ? STATE_AGAIN_MS : false),
    placeholderData: (previous) => previous,
  });

export const useTrace = (revision: number) =>
  useQuery({
    queryKey: ["trace", revision],
    queryFn: () => api.trace(revision),
    staleTime: Number.POSITIVE_INFINITY,
    refetchInterval: (query) => (query.state.data?.pending ? STATE_AGAIN_MS : false),
  });

export const useSafe = (revision: number | undefined, lacks: Lack[] = []) =>
  useQuery({
    queryKey: ["safe", revision, ...lacks],
    queryFn: () => api.safe(revision ?? 0, lacks),
    enabled: revision !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    refetchInterval: (query) => (query.state.data?.pending ? STATE_AGAIN_MS : false),
  });

/** Put what the server answered to an entry where the pages look for it. */
export function keepAdded(queries: QueryClient, jobId: string, added: EntryAdded): void {
  queries.setQueryData<Answer>(["answer", jobId], added.answer);
  queries.setQueryData<Job>(["job", jobId], (job) => job && withEntry(job, added.entry));
  // A job that is on its way was perhaps read before the entry was kept: it is asked for again.
  const queryKey = ["job", jobId];
  if (queries.isFetching({ queryKey })) {
    void queries.cancelQueries({ queryKey }).then(() => queries.invalidateQueries({ queryKey }));
  }
  void queries.invalidateQueries({ queryKey: ["jobs"] });
}

/** What a job came to, with an entry more: the last that stands, a part or nothing wrong. */
function concluded(job: Job, { data, standing }: Entry): Pick<Job, "decision" | "in_order"> {
  if (standing && data.kind === "decision") return { decision: data, in_order: null };
  if (standing && data.kind === "in_order") return { decision: null, in_order: data };
  return { decision: job.decision, in_order: job.in_order };
}

/** A job with an entry more; what it supersedes stands no longer. */
export function withEntry(job: Job, entry: Entry): Job {
  const others = job.entries.filter((e) => e.id !== entry.id);
  return {
    ...job,
    entries: [
      ...others.map((e) => (e.id === entry.supersedes ? { ...e, standing: false } : e)),
      entry,
    ].sort((a, b) => a.sequence - b.sequence),
    ...concluded(job, entry),
  };
}

export function makeOutbox(queries: QueryClient): Outbox {
  return new Outbox(
    {
      send: (item) => api.addEntry(item.jobId, item.data, item.key, item.supersedes, item.seen),
      kept: (item, added) => keepAdded(queries, item.jobId, added),
      refused: (item) => {
        void queries.invalidateQueries({ queryKey: ["job", item.jobId] });
        void queries.invalidateQueries({ queryKey: ["answer", item.jobId] });
      },
      wait: (ms) => new Promise((done) => setTimeout(done, ms)),
    },
    typeof localStorage === "undefined" ? null : localStorage,
  );
}

export const OutboxContext = createContext<Outbox | null>(null);

function useOutbox(): Outbox {
  const outbox = useContext(OutboxContext);
  if (!outbox) throw new Error("there is no outbox above this page");
  return outbox;
}

/** A job's entries that are not kept yet, and how to add one, or forget a refused one. */
export function usePending(jobId: string) {
  const outbox = useOutbox();
  const queries = useQueryClient();
  const all = useSyncExternalStore(outbox.subscribe, outbox.all);
  const items: Item[] = all.filter((i) => i.jobId === jobId);
  const add = useCallback(
    (data: EntryData, supersedes: string | null = null) => {
      const kept = queries.getQueryData<Job>(["job", jobId])?.entries.at(-1)?.sequence ?? 0;
      // A decision counts only for who has seen everything; the outbox counts on from here.
      const seen = data.kind === "decision" || data.kind === "in_order" ? kept : null;
      outbox.put({ key: newKey(), jobId, data, supersedes, seen });
    },
    [outbox, queries, jobId],
  );
  return { items, add, dismiss: (key: string) => outbox.dismiss(key) };
}
