import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas } from "../../api/client";
import { Button, Failure, Tag } from "../../ui/primitives";

type Line = Schemas["ExperienceLine"];

const times = (factor: number) => `× ${factor.toFixed(factor < 0.95 ? 2 : 1)}`;

function Row({ line, taken }: { line: Line; taken: boolean }) {
  return (
    <tr className="border-t border-line align-top">
      <td className="py-1.5 pr-2">
        {line.part}
        <span className="block text-soft">{line.fault}</span>
      </td>
      <td className="px-2 py-1.5 text-right tabular-nums">{line.found}</td>
      <td className="px-2 py-1.5 text-right tabular-nums">{line.expected.toFixed(1)}</td>
      <td className="px-2 py-1.5 text-right tabular-nums">{times(line.factor)}</td>
      {taken && <td className="py-1.5 pl-2 text-right tabular-nums">{times(line.in_use)}</td>}
    </tr>
  );
}

/** What the shop found in its proved jobs, beside what was to be expected; believed only when taken over. */
export function Experience() {
  const queries = useQueryClient();
  const counted = useQuery({
    queryKey: ["experience"],
    queryFn: api.experience,
    refetchInterval: (query) => (query.state.data?.pending ? 5000 : false),
  });
  const [all, setAll] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  const found = counted.data;
  const act = async (what: () => Promise<unknown>) => {
    setError(null);
    try {
      await what();
      await queries.invalidateQueries();
    } catch (failure) {
      setError(failure as Error);
    }
  };
  const lines = found?.lines ?? [];
  const foundOnes = lines.filter((line) => line.found > 0);
  const taken = !!found?.taken_at;
  return (
    <section
      aria-label="What was found"
      className="grid gap-2 rounded-lg border border-line bg-card p-3"
    >
      <h2 className="font-bold">What was found {taken && <Tag tone="good">believed</Tag>}</h2>
      <p className="text-sm text-soft">
        Faults of jobs that were decided, repaired and read again, beside how often the library's
        rates would have them on the same machines. They change what is believed only when you take
        them over.
      </p>
      {taken && found?.taken_at && (
        <p className="text-sm">
          Taken over on {new Date(found.taken_at).toLocaleDateString("en-GB")} from{" "}
          {found.taken_jobs} proved {found.taken_jobs === 1 ? "job" : "jobs"}; now there are{" "}
          {found.jobs}.
        </p>
      )}
      {found && lines.length === 0 && found.pending === 0 && (
        <p className="text-sm">No job has been repaired and proved yet: nothing to count.</p>
      )}
      {!!found?.pending && (
        <p className="text-sm text-warn">
          {found.pending} {found.pending === 1 ? "circuit is" : "circuits are"} still being played;
          what was found there is not counted yet.
        </p>
      )}
      {lines.length > 0 && (
        <table className="w-full text-sm">
          <thead className="text-left text-soft">
            <tr>
              <th className="pr-2 font-normal">Part and fault</th>
              <th className="px-2 text-right font-normal">Found</th>
              <th className="px-2 text-right font-normal">Expected</th>
              <th className="px-2 text-right font-normal">Odds</th>
              {taken && <th className="pl-2 text-right font-normal">In use</th>}
            </tr>
          </thead>
          <tbody>
            {(all ? lines : foundOnes).map((line) => (
              <Row key={`${line.type}:${line.mode}`} line={line} taken={taken} />
            ))}
          </tbody>
        </table>
      )}
      {lines.length > foundOnes.length && (
        <Button onClick={() => setAll(!all)}>
          {all ? "Only what was found" : "And what was not found"}
        </Button>
      )}
      {lines.length > 0 && (
        <Button
          look="main"
          disabled={!!found?.pending}
          onClick={() => void act(api.takeExperienceOver)}
        >
          {taken ? "Take the counts of today over" : "Believe by these counts"}
        </Button>
      )}
      {taken && (
        <Button onClick={() => void act(api.leaveExperience)}>Back to the library's rates</Button>
      )}
      {(error ?? counted.error) && <Failure error={(error ?? counted.error) as Error} />}
    </section>
  );
}
