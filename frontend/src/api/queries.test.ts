import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { describe, expect, it, vi } from "vitest";
import type { Entry, EntryAdded, Job } from "./client";
import { keepAdded } from "./queries";

const entry = (id: string, sequence: number) =>
  ({ id, sequence, data: { kind: "oil", id, look: "clear" }, standing: true }) as unknown as Entry;
const job = (...entries: Entry[]) => ({ id: "j", entries }) as unknown as Job;
const added = { entry: entry("new", 2), answer: {} } as unknown as EntryAdded;

describe("keepAdded", () => {
  it("asks again for a job that was on its way when an entry was kept", async () => {
    const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
    const answers: ((job: Job) => void)[] = [];
    const queryFn = vi.fn(() => new Promise<Job>((done) => answers.push(done)));
    const stop = new QueryObserver(queries, { queryKey: ["job", "j"], queryFn }).subscribe(
      () => {},
    );
    keepAdded(queries, "j", added);
    await vi.waitFor(() => expect(queryFn).toHaveBeenCalledTimes(2));
    // The first answer was read before the entry was kept; it comes last, and counts no more.
    answers[1]?.(job(entry("old", 1), added.entry));
    answers[0]?.(job(entry("old", 1)));
    await vi.waitFor(() =>
      expect(queries.getQueryData<Job>(["job", "j"])?.entries.map((e) => e.id)).toEqual([
        "old",
        "new",
      ]),
    );
    stop();
  });

  it("puts the entry into a job that is there, and asks for nothing", () => {
    const queries = new QueryClient();
    queries.setQueryData(["job", "j"], job(entry("old", 1)));
    keepAdded(queries, "j", added);
    expect(queries.getQueryData<Job>(["job", "j"])?.entries.map((e) => e.id)).toEqual([
      "old",
      "new",
    ]);
    expect(queries.isFetching()).toBe(0);
  });
});
