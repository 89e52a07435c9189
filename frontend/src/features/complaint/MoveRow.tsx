import { useState } from "react";
import { Button } from "../../ui/primitives";
import { HOW, NOTED } from "../../words";
import { type Told, withHow, withNoted } from "./told";

interface Props {
  label: string;
  move: string;
  told: Told;
  onTold: (told: Told) => void;
}

interface WordsProps<Word extends string> {
  labels: Record<Word, string>;
  chosen: readonly Word[];
  onTap: (word: Word) => void;
}

function Words<Word extends string>({ labels, chosen, onTap }: WordsProps<Word>) {
  return (Object.keys(labels) as Word[]).map((word) => (
    <Button
      key={word}
      look={chosen.includes(word) ? "chosen" : "plain"}
      aria-pressed={chosen.includes(word)}
      onClick={() => onTap(word)}
    >
      {labels[word]}
    </Button>
  ));
}

/** One move and its words; what can only be noted is folded away until somebody wants it. */
export function MoveRow({ label, move, told, onTold }: Props) {
  const [more, setMore] = useState(false);
  const open = more || told.noted.length > 0;
  const tell = (next: Told) => {
    if (next !== told) onTold(next);
  };
  return (
    <fieldset
      aria-label={`${label} ${move}`}
      className="grid grid-cols-[10.5rem_1fr] items-start gap-x-3 gap-y-1.5 rounded-lg border border-line bg-card px-4 py-2.5"
    >
      <span className="py-2.5 font-bold">
        {label} <span className="font-normal">{move}</span>
      </span>
      <div className="flex flex-wrap gap-1.5">
        <Words labels={HOW} chosen={told.hows} onTap={(word) => tell(withHow(told, word))} />
        {told.hows.length > 0 && !told.noted.length && (
          <Button look="quiet" className="px-1" aria-expanded={open} onClick={() => setMore(!more)}>
            And …
          </Button>
        )}
      </div>
      {open && told.hows.length > 0 && (
        <div className="col-start-2 flex flex-wrap items-center gap-1.5">
          <Words labels={NOTED} chosen={told.noted} onTap={(word) => tell(withNoted(told, word))} />
          <span className="text-sm text-soft">kept, not weighed</span>
        </div>
      )}
    </fieldset>
  );
}
