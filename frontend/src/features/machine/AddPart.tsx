import { useState } from "react";
import type { PartType } from "../../api/client";
import { Button } from "../../ui/primitives";
import { typesMatching } from "./listing";

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

/** A part by a few letters of its name or of what it does. */
export function AddPart({ types, placing, onAdd, onLeave }: AddPartProps) {
  const [wanted, setWanted] = useState("");
  // Something that is put into a line has two ports for it to go through.
  const fitting = placing?.port ? types.filter((t) => t.ports.length > 1) : types;
  const found = wanted.trim() ? typesMatching(fitting, wanted).slice(0, 8) : [];
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
          if (e.key === "Enter" && found[0]) take(found[0]);
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
