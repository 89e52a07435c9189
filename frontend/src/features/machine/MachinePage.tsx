import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import {
  api,
  type Draft,
  type Finding,
  type PartType,
  type Schematic as SchematicData,
} from "../../api/client";
import { useTypes } from "../../api/queries";
import { Schematic } from "../../schematic/Schematic";
import { Frame } from "../../ui/Frame";
import { Button, Failure, Notice, Select } from "../../ui/primitives";
import { EXAMPLE, insertLine, lineFor, lineStart, partAt, typesMatching } from "./listing";

const NOBODY: Map<string, number> = new Map();
const ASK_AGAIN_MS = 500;
const TYPING_MS = 250;
const STORE = "umweg-listing-1";
const BESIDE = "umweg-listing-beside-1";

/** What was typed, a quarter of a second after the last key. */
function useSettled(text: string): string {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), TYPING_MS);
    return () => clearTimeout(timer);
  }, [text]);
  return settled;
}

function Findings({ findings, onLine }: { findings: Finding[]; onLine: (line: number) => void }) {
  if (!findings.length) return null;
  return (
    <ul aria-label="To mend" className="max-h-48 overflow-auto border-line border-t bg-card">
      {findings.map((f) => (
        <li key={`${f.where}${f.message}`} className="border-line border-b px-3 py-1.5 text-sm">
          {f.line ? (
            <button
              type="button"
              className="min-h-11 w-full text-left"
              onClick={() => onLine(f.line ?? 1)}
            >
              <b className="text-stop">Line {f.line}</b> {f.message}
              {f.hint && <span className="text-soft"> — {f.hint}</span>}
            </button>
          ) : (
            <p className="py-2">
              <b className="text-stop">{f.where}</b> {f.message}
              {f.hint && <span className="text-soft"> — {f.hint}</span>}
            </p>
          )}
        </li>
      ))}
    </ul>
  );
}

function AddPart({ types, onAdd }: { types: PartType[]; onAdd: (type: PartType) => void }) {
  const [wanted, setWanted] = useState("");
  const found = wanted.trim() ? typesMatching(types, wanted).slice(0, 8) : [];
  return (
    <div className="relative">
      <input
        aria-label="Add a part"
        placeholder="Add a part: type what it is or does"
        className="min-h-11 w-full rounded-md border border-ink/40 bg-card px-3"
        value={wanted}
        onChange={(e) => setWanted(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && found[0]) {
            onAdd(found[0]);
            setWanted("");
          }
          if (e.key === "Escape") setWanted("");
        }}
      />
      {found.length > 0 && (
        <ul
          aria-label="Types"
          className="absolute inset-x-0 z-20 max-h-96 overflow-auto rounded-md border border-ink/40 bg-card shadow-lg"
        >
          {found.map((type) => (
            <li key={type.name}>
              <button
                type="button"
                className="min-h-11 w-full px-3 py-1.5 text-left hover:bg-way hover:text-white"
                onClick={() => {
                  onAdd(type);
                  setWanted("");
                }}
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

/** What the part under the cursor can be told; a tap puts it on the line with its typical value. */
function PartHelp({
  part,
  onGive,
}: {
  part: { type: PartType; given: Set<string> };
  onGive: (name: string, value: number) => void;
}) {
  const open = part.type.parameters.filter((p) => !part.given.has(p.name));
  return (
    <section
      aria-label="This part"
      className="max-h-44 overflow-auto border-line border-t px-3 py-2 text-sm"
    >
      <p>
        <b>{part.type.label}.</b> {part.type.summary}
      </p>
      <div className="mt-1.5 flex flex-wrap gap-1.5">
        {open.map((p) => (
          <button
            key={p.name}
            type="button"
            title={p.description}
            className="min-h-11 rounded border border-line bg-card px-2 text-left text-xs leading-tight"
            onClick={() => onGive(p.name, p.default)}
          >
            <b>{p.name}</b>
            <br />
            <span className="text-soft">
              {p.default} {p.unit === "1" ? "" : p.unit} if not typed
            </span>
          </button>
        ))}
      </div>
    </section>
  );
}

function Drafted({ draft }: { draft: Draft }) {
  if (draft.pending) return <p className="p-3">Every command is tried on the machine …</p>;
  if (draft.trouble) return <Notice tone="stop">{draft.trouble}</Notice>;
  return (
    <div className="grid gap-1.5 text-sm">
      <ul className="list-disc pl-5">
        {draft.notes.map((note) => (
          <li key={note}>{note}</li>
        ))}
      </ul>
      {draft.functions.map((f) => (
        <p key={f.id}>
          <b>{f.label}</b>: {f.moves.map((m) => m.label).join(", ")}
        </p>
      ))}
      <p className="text-soft">
        {draft.states.length} states, {draft.points.length} test points. A number that is not typed,
        or has ~ before it, is taken as known to a fifth only; what the gauges say narrows it.
      </p>
      <Notice tone="warn">
        What falls, turns, burns or holds pressure on this machine nobody has typed: keep to the
        maker's procedure and cautions, support what can fall, read zero before anything is opened.
      </Notice>
    </div>
  );
}

/** What a bill of parts does not say, to be changed. */
const HEAD = `machine "New machine" kind="machine" family=F21
oil "HVLP 46" 46 7.9
engine engine "Engine" idle=900 rated=1800 max=2200

`;

/** An empty page: with an example, or with the list of a machine that is much the same. */
function Begin({ onBegin }: { onBegin: (text: string, beside: string | null) => void }) {
  const circuits = useQuery({ queryKey: ["circuits"], queryFn: api.circuits });
  const [error, setError] = useState<Error | null>(null);
  const begin = async (id: string) => {
    try {
      onBegin((await api.listingOf(id)).text, id);
    } catch (failure) {
      setError(failure as Error);
    }
  };
  const open = async (file: File | undefined) => {
    if (!file) return;
    try {
      setError(null);
      onBegin(HEAD + (await api.linesOfBill(await file.text())).text, null);
    } catch (failure) {
      setError(failure as Error);
    }
  };
  return (
    <div className="grid gap-4 p-6">
      <p>
        One line a part: its name, its type, then where each port is joined. Ports that name the
        same net are joined. The map draws itself.
      </p>
      <Button className="justify-self-start" onClick={() => onBegin(EXAMPLE, null)}>
        Begin with an example
      </Button>
      <div className="max-w-md">
        <p className="mb-1.5">Or with a machine that is much the same, and change what differs:</p>
        <Select
          label="Begin with a machine"
          value=""
          onChange={(id) => void begin(id)}
          options={(circuits.data ?? []).map((c) => ({
            value: c.id,
            label: `${c.name} (${c.family.join(", ")})`,
          }))}
        />
      </div>
      <label className="grid max-w-md gap-1">
        Or with its bill of parts, a table (CSV) that names them; how they are joined is then typed:
        <input
          type="file"
          accept=".csv,.txt,.tsv,text/csv,text/plain"
          className="min-h-11"
          onChange={(e) => void open(e.target.files?.[0])}
        />
      </label>
      {(circuits.error ?? error) && <Failure error={(circuits.error ?? error) as Error} />}
    </div>
  );
}

function SaveMachine({ listing, beside }: { listing: string; beside: string | null }) {
  const [card, setCard] = useState({ name: "", owner: "", serial: "", hours: "" });
  const [error, setError] = useState<Error | null>(null);
  const [saving, setSaving] = useState(false);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const hours = Number(card.hours || "0");
  const fine = card.name.trim() && card.serial.trim() && Number.isFinite(hours) && hours >= 0;
  const save = async () => {
    setSaving(true);
    try {
      await api.addMachine({
        name: card.name.trim(),
        owner: card.owner.trim(),
        serial: card.serial.trim(),
        hours,
        recent_work: "",
        listing,
        beside,
      });
      localStorage.removeItem(STORE);
      localStorage.removeItem(BESIDE);
      await queries.invalidateQueries({ queryKey: ["workshop"] });
      navigate("/");
    } catch (failure) {
      setError(failure as Error);
      setSaving(false);
    }
  };
  const field = (key: keyof typeof card, label: string) => (
    <input
      aria-label={label}
      placeholder={label}
      className="min-h-11 min-w-0 rounded-md border border-ink/40 bg-card px-3"
      maxLength={100}
      value={card[key]}
      onChange={(e) => setCard({ ...card, [key]: e.target.value })}
    />
  );
  return (
    <div className="grid gap-2">
      <div className="grid grid-cols-2 gap-2">
        {field("name", "Machine")}
        {field("owner", "Owner")}
        {field("serial", "Serial number")}
        {field("hours", "Hours")}
      </div>
      <Button look="main" disabled={!fine || saving} onClick={() => void save()}>
        Save the machine
      </Button>
      {error && <Failure error={error} />}
    </div>
  );
}

/** A machine from its paper schematic: typed line by line, checked and drawn while one types. */
export function MachinePage() {
  const [text, setText] = useState(() => localStorage.getItem(STORE) ?? "");
  // The circuit it began with: what that does is kept as long as it fits.
  const [beside, setBeside] = useState(() => localStorage.getItem(BESIDE));
  const [wanted, setWanted] = useState<string | null>(null);
  const [selected, setSelected] = useState<string | null>(null);
  const [cursor, setCursor] = useState(0);
  const area = useRef<HTMLTextAreaElement>(null);
  const types = useTypes();
  const settled = useSettled(text);
  const checked = useQuery({
    queryKey: ["listing", settled],
    queryFn: () => api.checkListing(settled),
    enabled: settled.trim().length > 0,
    placeholderData: (previous) => previous,
    gcTime: 0,
  });
  const draft = useQuery({
    queryKey: ["draft", wanted, beside],
    queryFn: () => api.draftListing(wanted ?? "", beside),
    enabled: wanted !== null && wanted === text,
    refetchInterval: (query) => (query.state.data?.pending ? ASK_AGAIN_MS : false),
  });
  // While a line is being typed that cannot be read, what was drawn last stays.
  const last = useRef<SchematicData | null>(null);
  if (checked.data?.schematic) last.current = checked.data.schematic;
  if (!text.trim()) last.current = null;
  const drawn = useDeferredValue(last.current);
  const findings = text.trim() ? (checked.data?.findings ?? []) : [];
  const current = settled === text && !checked.isFetching;
  const sound = current && text.trim() !== "" && findings.length === 0;

  const change = (next: string) => {
    setText(next);
    // What somebody typed is not lost with the page.
    localStorage.setItem(STORE, next);
  };
  const begin = (list: string, from: string | null) => {
    change(list);
    setBeside(from);
    if (from) localStorage.setItem(BESIDE, from);
    else localStorage.removeItem(BESIDE);
  };
  const select = (from: number, to: number) => {
    area.current?.focus();
    area.current?.setSelectionRange(from, to);
    setCursor(from);
  };
  const toLine = (line: number) => select(lineStart(text, line), lineStart(text, line + 1) - 1);
  const part = partAt(text, cursor, types.data ?? []);
  const give = (name: string, value: number) => {
    if (!part) return;
    const said = ` ${name}=`;
    change(`${text.slice(0, part.end)}${said}${value}${text.slice(part.end)}`);
    const from = part.end + said.length;
    requestAnimationFrame(() => select(from, from + String(value).length));
  };
  const add = (type: PartType) => {
    const at = area.current?.selectionStart ?? text.length;
    const made = insertLine(text, at, lineFor(type, text));
    change(made.text);
    requestAnimationFrame(() => select(made.from, made.to));
  };

  return (
    <Frame title="New machine" subtitle="Type what is there and what is joined">
      <main className="grid min-h-0 flex-1 grid-cols-[minmax(30rem,1.15fr)_1fr]">
        <section aria-label="List" className="flex min-h-0 flex-col border-ink border-r-2">
          <div className="p-2">
            <AddPart types={types.data ?? []} onAdd={add} />
          </div>
          <textarea
            ref={area}
            aria-label="Parts and joins"
            spellCheck={false}
            wrap="off"
            className="min-h-0 flex-1 resize-none border-line border-t bg-card p-3 font-mono text-[13px] leading-6"
            placeholder="Begin with the tank, go along the oil."
            maxLength={200_000}
            value={text}
            onChange={(e) => change(e.target.value)}
            onSelect={(e) => setCursor(e.currentTarget.selectionStart)}
            onKeyUp={(e) => setCursor(e.currentTarget.selectionStart)}
            onClick={(e) => setCursor(e.currentTarget.selectionStart)}
          />
          {part && <PartHelp part={part} onGive={give} />}
          <Findings findings={findings} onLine={toLine} />
          {checked.error && <Failure error={checked.error} />}
        </section>
        <section aria-label="Map and machine" className="flex min-h-0 flex-col">
          <div className="min-h-0 flex-1">
            {drawn ? (
              <Schematic
                schematic={drawn}
                solved={undefined}
                suspicion={NOBODY}
                target={null}
                selected={selected}
                onSelect={setSelected}
              />
            ) : (
              <Begin onBegin={begin} />
            )}
          </div>
          <div className="grid gap-2 border-ink border-t-2 bg-card p-3">
            {!sound && text.trim() !== "" && (
              <p className="text-sm">
                {current
                  ? `${findings.length} ${findings.length === 1 ? "thing" : "things"} to mend first.`
                  : "Checking …"}
              </p>
            )}
            {wanted === text && draft.data ? (
              <>
                <Drafted draft={draft.data} />
                {!draft.data.pending && !draft.data.trouble && (
                  <SaveMachine listing={text} beside={beside} />
                )}
              </>
            ) : (
              <Button look="main" disabled={!sound} onClick={() => setWanted(text)}>
                Find its functions and states
              </Button>
            )}
            {draft.error && <Failure error={draft.error} />}
          </div>
        </section>
      </main>
    </Frame>
  );
}
