import { useState } from "react";
import type { Place } from "../../api/client";
import { useTree } from "../../api/queries";
import { Button, Failure, Notice, Tag } from "../../ui/primitives";
import { WorkBar } from "../../ui/WorkBar";
import { percent } from "../../units";

const DEEPEST = 4;

/** What is believed at one place, in one line. */
function believed(place: Place): string {
  return place.leaders.map((l) => `${l.title} ${percent(l.share)}`).join(" · ");
}

function Standing({ place }: { place: Place }) {
  if (place.step) {
    return (
      <p className="flex items-start justify-between gap-2">
        <b>{place.step}</b>
        <Tag tone="plain">{Math.round(place.minutes)} min</Tag>
      </p>
    );
  }
  return (
    <p>
      {place.enough && place.repair ? (
        <>
          <b>Enough. Mend first:</b> {place.repair}
        </>
      ) : (
        <span className="text-soft">It goes on from here.</span>
      )}
    </p>
  );
}

/** One place of the tree with what may come of it; deeper places are folded. */
export function Branches({ place, top = false }: { place: Place; top?: boolean }) {
  return (
    <ul className="grid gap-1.5 border-line border-l-2 pl-2.5">
      {place.branches.map((branch) => (
        <li key={branch.words}>
          {branch.place ? (
            <details className="group/answer" open={top && branch.share >= 0.3}>
              <summary className="flex min-h-11 cursor-pointer items-center justify-between gap-3 rounded-md border border-line bg-card px-3 py-1">
                <span className="flex gap-2 first-letter:uppercase">
                  <span aria-hidden="true" className="group-open/answer:rotate-90">
                    ›
                  </span>
                  {branch.words}
                </span>
                <span className="text-soft">{percent(branch.share)}</span>
              </summary>
              <div className="grid gap-1.5 py-1.5 pl-2.5">
                <Standing place={branch.place} />
                <p className="text-soft text-xs">{believed(branch.place)}</p>
                {branch.place.branches.length > 0 && <Branches place={branch.place} />}
              </div>
            </details>
          ) : (
            <p className="flex min-h-8 items-center justify-between gap-3 px-3 text-soft">
              <span className="first-letter:uppercase">{branch.words}</span>
              <span>seldom</span>
            </p>
          )}
        </li>
      ))}
    </ul>
  );
}

/** The remaining plan as a tree, worked out in the background once somebody opens it. */
export function WayOn({ jobId, question }: { jobId: string; question: string | undefined }) {
  const [open, setOpen] = useState(false);
  const [depth, setDepth] = useState(2);
  const tree = useTree(jobId, question, depth, open);
  const place = tree.data?.place;
  return (
    <details
      className="text-sm"
      open={open}
      onToggle={(event) => setOpen(event.currentTarget.open)}
    >
      <summary className="min-h-11 cursor-pointer content-center font-bold">
        The way on: if this, then that
      </summary>
      <div className="grid gap-2" aria-live="polite">
        {tree.error && <Failure error={tree.error} />}
        {tree.data?.trouble && <Notice tone="stop">{tree.data.trouble}</Notice>}
        {place && (
          <>
            <Standing place={place} />
            {place.branches.length > 0 && (
              <>
                <Branches place={place} top />
                <p className="text-soft">
                  {Math.round(place.expected_min)} min on average, as far as it is followed.
                </p>
              </>
            )}
          </>
        )}
        {tree.data?.pending && (
          <>
            <p>Every answer is being thought through …</p>
            <WorkBar wanted task="grow_tree" />
          </>
        )}
        {place && !tree.data?.pending && depth < DEEPEST && place.branches.length > 0 && (
          <Button onClick={() => setDepth(depth + 1)}>One step further</Button>
        )}
      </div>
    </details>
  );
}
