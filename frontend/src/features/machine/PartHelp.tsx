import { useState } from "react";
import type { PartType, Schemas } from "../../api/client";
import { Button, FIELD } from "../../ui/primitives";
import type { Placing } from "./AddPart";
import { duplicate, joinPort, joinsOf, type PartLine, partLineAt, renamePart } from "./edits";
import { partAt } from "./listing";

interface Edit {
  text: string;
  from: number;
  to: number;
}

interface PartHelpProps {
  text: string;
  cursor: number;
  types: PartType[];
  open: Schemas["OpenPortView"][];
  /** What is selected in the list. */
  selection: () => [number, number];
  onEdit: (edit: Edit) => void;
  onPlace: (placing: Placing) => void;
}

const CHIP = "min-h-11 rounded border border-line bg-card px-2 text-left text-xs leading-tight";

/** Where one port is joined; an open one is offered the nets that such ports are usually joined to. */
function Join({
  port,
  net,
  likely,
  own,
  onJoin,
  onInsert,
}: {
  port: string;
  net: string;
  likely: string[];
  own: string;
  onJoin: (net: string) => void;
  onInsert: () => void;
}) {
  const isOpen = net === "?";
  return (
    <li className="flex flex-wrap items-center gap-1.5">
      <b className={`min-w-16 ${isOpen ? "text-warn" : ""}`}>{port}</b>
      {isOpen ? (
        <>
          {likely.map((name) => (
            <button key={name} type="button" className={CHIP} onClick={() => onJoin(name)}>
              {name}
            </button>
          ))}
          <button type="button" className={CHIP} onClick={() => onJoin(own)}>
            <span className="text-soft">a new net</span> {own}
          </button>
        </>
      ) : (
        <>
          <span>{net}</span>
          <button
            type="button"
            className={`${CHIP} text-soft`}
            aria-label={`Put a part into the line to ${port}`}
            onClick={onInsert}
          >
            + put a part in
          </button>
        </>
      )}
    </li>
  );
}

function Rename({
  part,
  text,
  onEdit,
}: { part: PartLine } & Pick<PartHelpProps, "text" | "onEdit">) {
  const [name, setName] = useState<string | null>(null);
  const keep = () => {
    const next = (name ?? "").trim().toLowerCase().replace(/\W+/g, "_");
    const made = renamePart(text, part.name, next);
    setName(null);
    if (made !== text) onEdit({ text: made, from: part.from, to: part.from + next.length });
  };
  if (name === null) return <Button onClick={() => setName(part.name)}>Rename</Button>;
  return (
    <input
      // biome-ignore lint/a11y/noAutofocus: somebody has just asked to rename it
      autoFocus
      aria-label={`New name of ${part.name}`}
      className={`${FIELD} w-40`}
      value={name}
      onChange={(e) => setName(e.target.value)}
      onBlur={() => setName(null)}
      onKeyDown={(e) => {
        if (e.key === "Enter") keep();
        if (e.key === "Escape") setName(null);
      }}
    />
  );
}

/** The part under the cursor: where it is joined, what it can be told, what can be done with it. */
export function PartHelp(props: PartHelpProps) {
  const { text, cursor, types, onEdit, onPlace } = props;
  const part = partAt(text, cursor, types);
  const line = partLineAt(text, cursor);
  if (!part || !line) return null;
  const { type } = part;
  const give = (name: string, value: number) => {
    const said = ` ${name}=`;
    const from = part.end + said.length;
    onEdit({
      text: `${text.slice(0, part.end)}${said}${value}${text.slice(part.end)}`,
      from,
      to: from + String(value).length,
    });
  };
  const joins = joinsOf(text, line, type);
  const addPort = (port: string) => {
    const from = part.end + port.length + 2;
    onEdit({
      text: `${text.slice(0, part.end)} ${port}=?${text.slice(part.end)}`,
      from,
      to: from + 1,
    });
  };
  const likely = new Map(
    props.open.filter((o) => o.component === line.name).map((o) => [o.port, o.nets]),
  );
  const join = (port: string, net: string) => {
    const made = joinPort(text, line, port, net);
    // On to the next port that is open, else to the end of the line.
    const end = line.end + made.length - text.length;
    const open = made.indexOf("=?", line.from);
    const next = open >= 0 && open < end ? open + 1 : end;
    onEdit({ text: made, from: next, to: next === end ? end : next + 1 });
  };
  return (
    <section
      aria-label="This part"
      className="max-h-64 overflow-auto border-line border-t px-3 py-2 text-sm"
    >
      <p>
        <b>{type.label}.</b> {type.summary}
      </p>
      <ul aria-label="Joins" className="mt-1.5 grid gap-1">
        {[...joins].map(([port, net]) => (
          <Join
            key={port}
            port={port}
            net={net}
            likely={likely.get(port) ?? []}
            own={`${line.name}_${port.toLowerCase()}`}
            onJoin={(name) => join(port, name)}
            onInsert={() => onPlace({ at: line.from, name: line.name, port })}
          />
        ))}
      </ul>
      <div className="mt-1.5 flex flex-wrap gap-1.5">
        {type.optional
          .filter((port) => !joins.has(port))
          .map((port) => (
            <button key={port} type="button" className={CHIP} onClick={() => addPort(port)}>
              <b>{port}</b>
              <br />
              <span className="text-soft">where a linkage moves it</span>
            </button>
          ))}
        {type.parameters
          .filter((p) => !part.given.has(p.name))
          .map((p) => (
            <button
              key={p.name}
              type="button"
              title={p.description}
              className={CHIP}
              onClick={() => give(p.name, p.default)}
            >
              <b>{p.name}</b>
              <br />
              <span className="text-soft">
                {p.default} {p.unit === "1" ? "" : p.unit} if not typed
              </span>
            </button>
          ))}
      </div>
      <div className="mt-2 flex flex-wrap gap-2">
        <Rename key={line.name} part={line} text={text} onEdit={onEdit} />
        <Button onClick={() => onPlace({ at: line.from, name: line.name, port: null })}>
          Another type
        </Button>
        <Button
          title="The part, or all lines that are selected, once more"
          onClick={() => onEdit(duplicate(text, ...props.selection(), types))}
        >
          Once more
        </Button>
      </div>
    </section>
  );
}
