import { useQueryClient } from "@tanstack/react-query";
import { api, type Work } from "../api/client";
import { useWork } from "../api/queries";
import { Button } from "./primitives";

const UNDER_WAY = new Set(["todo", "doing", "aborting"]);

function Progress({ work }: { work: Work }) {
  const queries = useQueryClient();
  const stop = async () => {
    await api.stopWork(work.id);
    void queries.invalidateQueries({ queryKey: ["work"] });
  };
  return (
    <li className="flex min-w-0 items-center gap-3 text-sm">
      <span className="min-w-0 flex-1 truncate">{work.title}</span>
      {work.total > 0 && (
        <progress className="h-2 w-24 accent-way" value={work.done} max={work.total}>
          {work.done} of {work.total}
        </progress>
      )}
      <Button className="!min-h-9 !py-1" onClick={stop} aria-label={`Stop: ${work.title}`}>
        Stop
      </Button>
    </li>
  );
}

/** What is being worked out in the background, how far it is, and a way to stop it. */
export function WorkBar({ wanted, task = "play" }: { wanted: boolean; task?: string }) {
  const work = useWork(wanted);
  const shown = work.data?.filter((w) => UNDER_WAY.has(w.status) && w.task === task) ?? [];
  const [first] = shown.filter((w) => w.status === "doing");
  if (!wanted || !shown.length) return null;
  return (
    <ul
      className="grid min-w-0 grid-cols-1 gap-1 rounded-md border border-line bg-card px-3 py-2"
      aria-label="Work"
    >
      {first && <Progress work={first} />}
      {shown.length > 1 && (
        <li className="text-soft text-sm">
          {shown.length - 1} more {shown.length === 2 ? "waits" : "wait"}.
        </li>
      )}
    </ul>
  );
}
