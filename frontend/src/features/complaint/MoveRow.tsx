import { useState } from "react";
import { Button } from "../../ui/primitives";
import { HOW, type How } from "../../words";
import { type Remark, type Told, withHow, withRemark } from "./told";

interface Props {
  label: string;
  move: string;
  told: Told;
  /** The words that can be told beside how it goes. */
  remarks: Record<string, string>;
  onTold: (told: Told) => void;
}

interface WordsProps<Word extends string> {
  labels: Readonly<Record<string, string>>;
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
      <span className="first-letter:uppercase inline-block">{labels[word]}</span>
    </Button>
  ));
}

/** One move and its words; those beside how it goes are folded away until somebody wants them. */
export function MoveRow({ label, move, told, remarks, onTold }: Props) {
  const [more, setMore] = useState(false);
  const open = more || told.remarks.length > 0;
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
        <Words<How> labels={HOW} chosen={told.hows} onTap={(word) => tell(withHow(told, word))} />
        {told.hows.length > 0 && !told.remarks.length && (
          <Button look="quiet" className="px-1" aria-expanded={open} onClick={() => setMore(!more)}>
            And …
          </Button>
        )}
      </div>
      {open && told.hows.length > 0 && (
        <div className="col-start-2 flex flex-wrap items-center gap-1.5">
          <span className="text-sm text-soft">and</span>
          <Words<Remark>
            labels={remarks}
            chosen={told.remarks}
            onTap={(word) => tell(withRemark(told, word))}
          />
        </div>
      )}
    </fieldset>
  );
}
