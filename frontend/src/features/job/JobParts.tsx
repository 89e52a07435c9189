import { Link } from "react-router";
import { withPending } from "../../api/outbox";
import { useAnswer, useJob, usePending, useSafe } from "../../api/queries";
import { lacksOf } from "../safe/MakeSafePanel";
import { addressOf, PARTS, type Seen, type Stand } from "./parts";

const MARK: Record<Stand, string> = { done: "✓", open: "●", later: "○" };
const SAID: Record<Stand, string> = { done: "done", open: "open", later: "not begun" };
const TONE: Record<Stand, string> = {
  done: "text-good",
  open: "text-suspect",
  later: "text-soft",
};

/** The parts of a job in one thin row: what is done, what is open, and where one is. */
export function JobParts({ jobId, here }: { jobId: string; here: string }) {
  const job = useJob(jobId);
  const answer = useAnswer(jobId);
  const pending = usePending(jobId);
  const entries = withPending(job.data?.entries ?? [], pending.items);
  const safe = useSafe(job.data?.circuit_revision, lacksOf(entries));
  const seen: Seen = {
    entries,
    safe: safe.data?.plan ?? null,
    proof: answer.data?.proof?.word ?? null,
    enough: answer.data?.diagnosis?.plan?.enough ?? false,
  };
  return (
    <nav aria-label="Parts of the job" className="flex max-w-full overflow-x-auto">
      {PARTS.map((part) => {
        const stand = part.stand(seen);
        const current = part.id === here;
        return (
          <Link
            key={part.id}
            to={addressOf(jobId, part)}
            aria-current={current ? "step" : undefined}
            className={`grid min-h-11 content-center whitespace-nowrap border-b-4 px-2 text-center text-sm leading-tight ${
              current ? "border-way font-bold text-way-deep" : "border-transparent"
            }`}
          >
            <span className={TONE[stand]} aria-hidden="true">
              {MARK[stand]}
            </span>
            <span>
              {part.label}
              <span className="sr-only">, {SAID[stand]}</span>
            </span>
          </Link>
        );
      })}
    </nav>
  );
}
