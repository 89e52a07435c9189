import { useState } from "react";
import type { PartType } from "../../api/client";
import { useFoundTypes } from "../../api/queries";
import { Button } from "../../ui/primitives";

/** Where the part that is looked for goes: into the line to a port, or in the place of a part. */
export interface Placing {
  at: number;
  name: string;
  /** None: it takes the part's place. */
  port: string | null;
}

interface AddPartProps {
  types: PartType[];
  placing: Placing | null;
  onAdd: (type: PartType) => void;
  onLeave: () => void;
}

function asked(placing: Placing | null): string {
  if (!placing) return "Add a part: type what it is or does";
  if (placing.port === null) return `In the place of ${placing.name}: type what it is`;
  return `Into the line to ${placing.name}, ${placing.port}: type what it is`;
}

/** A part by what the trade calls it or by what it does. */
export function AddPart({ types, placing, onAdd, onLeave }: AddPartProps) {
  const [wanted, setWanted] = useState("");
  // Something that is put into a line has two ports for it to go through.
  const fitting = placing?.port ? types.filter((t) => t.ports.length > 1) : types;
  const { found: answer, now } = useFoundTypes(wanted);
  const typesOf = (names: string[]) =>
    names.flatMap((name) => fitting.find((type) => type.name === name) ?? []);
  const found = typesOf(answer?.names ?? []).slice(0, 8);
  const take = (type: PartType) => {
    onAdd(type);
    setWanted("");
  };
  return (
    <div className="relative flex min-w-0 flex-1 gap-2">
      <input
        // biome-ignore lint/a11y/noAutofocus: somebody has just asked to put something there
        autoFocus={placing !== null}
        aria-label={placing ? asked(placing) : "Add a part"}
        placeholder={asked(placing)}
        className={`min-h-11 min-w-0 flex-1 rounded-md border bg-card px-3 ${placing ? "border-2 border-way" : "border-ink/40"}`}
        value={wanted}
        onChange={(e) => setWanted(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") {
            // The list is typed into next: this key is not to break a line of it.
            e.preventDefault();
            void now()
              .then(
                (at) => typesOf(at?.names ?? [])[0],
                () => undefined,
              )
              .then((first) => first && take(first));
          }
          if (e.key === "Escape") {
            setWanted("");
            onLeave();
          }
        }}
      />
      {placing && <Button onClick={onLeave}>Leave it</Button>}
      {found.length > 0 && (
        <ul
          aria-label="Types"
          className="absolute inset-x-0 top-full z-20 max-h-96 overflow-auto rounded-md border border-ink/40 bg-card shadow-lg"
        >
          {answer?.nearest && (
            <li className="border-b border-ink/20 px-3 py-1.5 text-sm">
              Nothing is called “{wanted.trim()}” here; the nearest:
            </li>
          )}
          {found.map((type) => (
            <li key={type.name}>
              <button
                type="button"
                className="min-h-11 w-full px-3 py-1.5 text-left hover:bg-way hover:text-white"
                onClick={() => take(type)}
              >
                <b>{type.label}</b> <span className="text-sm">{type.summary}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
