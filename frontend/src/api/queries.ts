import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { api, type EntryData, newKey } from "./client";

export const useWorkshop = () => useQuery({ queryKey: ["workshop"], queryFn: api.workshop });

const WHILE_WORKING_MS = 1000;

export const useJobs = () =>
  useQuery({
    queryKey: ["jobs"],
    queryFn: api.jobs,
    refetchInterval: (query) =>
      query.state.data?.some((job) => job.pending) ? WHILE_WORKING_MS : false,
  });

export const useJob = (id: string) =>
  useQuery({ queryKey: ["job", id], queryFn: () => api.job(id) });

export const useDiagnosis = (id: string) =>
  useQuery({ queryKey: ["diagnosis", id], queryFn: () => api.diagnosis(id) });

export const useSchematic = (revision: number | undefined) =>
  useQuery({
    queryKey: ["schematic", revision],
    queryFn: () => api.schematic(revision ?? 0),
    enabled: revision !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useSolvedState = (revision: number, state: string, suspect: string | null) =>
  useQuery({
    queryKey: ["state", revision, state, suspect],
    queryFn: () => api.state(revision, state, suspect),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** Append an entry. A retry after a lost answer carries the same key, so it is kept once. */
export function useAddEntry(jobId: string) {
  const queries = useQueryClient();
  const pending = useRef<{ content: string; key: string } | null>(null);
  return useMutation({
    mutationFn: ({ data, supersedes }: { data: EntryData; supersedes?: string }) => {
      const content = JSON.stringify([data, supersedes]);
      if (pending.current?.content !== content) pending.current = { content, key: newKey() };
      return api.addEntry(jobId, data, pending.current.key, supersedes);
    },
    onSuccess: (added) => {
      pending.current = null;
      queries.setQueryData(["diagnosis", jobId], added.diagnosis);
      void queries.invalidateQueries({ queryKey: ["job", jobId] });
      void queries.invalidateQueries({ queryKey: ["jobs"] });
    },
  });
}
