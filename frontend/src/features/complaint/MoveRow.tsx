import { useState } from "react";
import { Button } from "../../ui/primitives";
import { HOW, type How, NOTED, type Noted } from "../../words";
import { type Told, withHow, withNoted } from "./told";

interface Props {
  label: string;
  move: string;
  told: Told;
  onTold: (told: Told) => void;
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
        {(Object.keys(HOW) as How[]).map((key) => {
          const chosen = told.hows.includes(key);
          return (
            <Button
              key={key}
              look={chosen ? "chosen" : "plain"}
              aria-pressed={chosen}
              onClick={() => tell(withHow(told, key))}
            >
              {HOW[key]}
            </Button>
          );
        })}
        {told.hows.length > 0 && !told.noted.length && (
          <Button look="quiet" className="px-1" aria-expanded={open} onClick={() => setMore(!more)}>
            And …
          </Button>
        )}
      </div>
      {open && told.hows.length > 0 && (
        <div className="col-start-2 flex flex-wrap items-center gap-1.5">
          {(Object.keys(NOTED) as Noted[]).map((key) => {
            const chosen = told.noted.includes(key);
            return (
              <Button
                key={key}
                look={chosen ? "chosen" : "plain"}
                aria-pressed={chosen}
                onClick={() => tell(withNoted(told, key))}
              >
                {NOTED[key]}
              </Button>
            );
          })}
          <span className="text-sm text-soft">kept, not weighed</span>
        </div>
      )}
    </fieldset>
  );
}
