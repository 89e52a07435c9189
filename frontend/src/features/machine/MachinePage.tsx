import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { flushSync } from "react-dom";
import { useNavigate, useSearchParams } from "react-router";
import {
  api,
  type Finding,
  type Machine,
  type PartType,
  type Schematic as SchematicData,
  type SolvedState,
} from "../../api/client";
import { useTypes, useWorkshop } from "../../api/queries";
import { Schematic } from "../../schematic/Schematic";
import { Frame } from "../../ui/Frame";
import { Button, Failure, Select } from "../../ui/primitives";
import { AddPart, type Placing } from "./AddPart";
import { Drafted, firstShown, settledStates } from "./Drafted";
import { changed, changeType, insertInto, type Past, partLineAt, redone, undone } from "./edits";
import { EXAMPLE, insertLine, lineFor, lineStart } from "./listing";
import { PartHelp } from "./PartHelp";

const NOBODY: Map<string, number> = new Map();
const ASK_AGAIN_MS = 500;
const TYPING_MS = 250;
/** Height of a line in the list (leading-6). */
const LINE_PX = 24;
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

/** What a bill of parts does not say, to be changed. */
const HEAD = `machine "New machine" kind="machine" family=F21
oil "HVLP 46" 46 7.9
engine engine "Engine" idle=900 rated=1800 max=2200

`;

/** An empty page: with an example, or with the list of a machine that is much the same. */
function Begin({ onBegin }: { onBegin: (text: string, beside: string | null) => void }) {
  const circuits = useQuery({ queryKey: ["circuits"], queryFn: api.circuits });
  const [error, setError] = useState<Error | null>(null);
  const begin = async (id: string, skeleton: boolean) => {
    try {
      onBegin((await api.listingOf(id, skeleton)).text, skeleton ? null : id);
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
          onChange={(id) => void begin(id, false)}
          options={(circuits.data ?? []).map((c) => ({
            value: c.id,
            label: `${c.name} (${c.family.join(", ")})`,
          }))}
        />
      </div>
      <div className="max-w-md">
        <p className="mb-1.5">
          Or with the frame of its kind of circuit: parts and joins, every number a guess until you
          type it:
        </p>
        <Select
          label="Begin with a kind of circuit"
          value=""
          onChange={(id) => void begin(id, true)}
          options={(circuits.data ?? [])
            .filter((c) => c.families.length > 0)
            .map((c) => ({ value: c.id, label: c.families.join(", ") }))
            .sort((a, b) => a.label.localeCompare(b.label))}
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

interface KeepCircuitProps {
  machine: Machine;
  listing: string;
  beside: string | null;
  /** What was typed need not be remembered any longer. */
  onKept: () => void;
}

/** The circuit of a machine that is there: what is typed becomes its next revision. */
function KeepCircuit({ machine, listing, beside, onKept }: KeepCircuitProps) {
  const [error, setError] = useState<Error | null>(null);
  const [saving, setSaving] = useState(false);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const save = async () => {
    setSaving(true);
    try {
      await api.changeCircuit(machine.id, listing, beside);
      onKept();
      await queries.invalidateQueries();
      navigate(`/machines/${machine.id}`);
    } catch (failure) {
      setError(failure as Error);
      setSaving(false);
    }
  };
  return (
    <div className="grid gap-2">
      <p className="text-sm">
        Jobs that are open go on with the circuit they were opened with, and say that it changed.
      </p>
      <Button look="main" disabled={saving} onClick={() => void save()}>
        Keep this circuit for {machine.name}
      </Button>
      {error && <Failure error={error} />}
    </div>
  );
}

function SaveMachine({ listing, beside, onKept }: Omit<KeepCircuitProps, "machine">) {
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
      onKept();
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
      <div className="grid grid-cols-[1.4fr_1fr_1.1fr_0.7fr] gap-2">
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
  const [params] = useSearchParams();
  const machineId = params.get("machine");
  // The circuit of a machine that is there is typed beside a new machine, not over it.
  const store = machineId ? `${STORE}/${machineId}` : STORE;
  const besideStore = machineId ? `${BESIDE}/${machineId}` : BESIDE;
  const workshop = useWorkshop();
  const machine = workshop.data?.machines.find((m) => String(m.id) === machineId);
  const [history, setHistory] = useState<Past>(() => ({
    past: [],
    text: localStorage.getItem(store) ?? "",
    future: [],
    at_ms: 0,
  }));
  const text = history.text;
  const [placing, setPlacing] = useState<Placing | null>(null);
  // The circuit it began with: what that does is kept as long as it fits.
  const [beside, setBeside] = useState(() => localStorage.getItem(besideStore));
  const [wanted, setWanted] = useState<string | null>(null);
  const [running, setRunning] = useState<string | null>(null);
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

  // The numbers of another list than the one that is typed are not shown.
  const found = wanted === text ? draft.data : undefined;
  const ran = found && (settledStates(found).find((s) => s.id === running) ?? firstShown(found));
  const solved: SolvedState | undefined = useMemo(
    () => ran && { state: ran.id, suspect: null, pending: false, nets: ran.nets, flows_lpm: {} },
    [ran],
  );
  // Once asked for, it is found again with every list that is whole.
  useEffect(() => {
    if (wanted !== null && sound && wanted !== text) setWanted(text);
  }, [wanted, sound, text]);

  const keep = (next: Past) => {
    setHistory(next);
    // What somebody typed is not lost with the page.
    localStorage.setItem(store, next.text);
  };
  const change = (next: string) => keep(changed(history, next, Date.now()));
  const step = (way: (past: Past) => Past) => keep(way(history));
  // A part that was looked for comes when the answer does: it joins what stands there by then.
  const stands = useRef(history);
  useLayoutEffect(() => {
    stands.current = history;
  }, [history]);
  const begin = (list: string, from: string | null) => {
    change(list);
    setBeside(from);
    if (from) localStorage.setItem(besideStore, from);
    else localStorage.removeItem(besideStore);
  };
  const forget = () => {
    localStorage.removeItem(store);
    localStorage.removeItem(besideStore);
  };
  const own = useQuery({
    queryKey: ["listing-of", machine?.circuit_id],
    queryFn: () => api.listingOf(machine?.circuit_id ?? ""),
    enabled: machine !== undefined && history.past.length === 0 && !history.text,
  });
  // Begun once with what the machine has; whoever empties the page begins anew.
  const given = own.data?.text;
  const begun = useRef(false);
  useEffect(() => {
    if (given === undefined || !machine || begun.current) return;
    begun.current = true;
    begin(given, machine.circuit_id);
  });
  const select = (from: number, to: number) => {
    const field = area.current;
    field?.focus();
    field?.setSelectionRange(from, to);
    // A browser shows where one types, not what was selected for one.
    const line = (field?.value.slice(0, from).split("\n").length ?? 1) - 1;
    const top = line * LINE_PX;
    if (
      field &&
      (top < field.scrollTop || top > field.scrollTop + field.clientHeight - 2 * LINE_PX)
    )
      field.scrollTop = Math.max(0, top - 3 * LINE_PX);
    setCursor(from);
  };
  const toPart = (component: string) => {
    setSelected(component);
    const line = text.split("\n").findIndex((l) => l.trim().startsWith(`${component} `));
    if (line >= 0) toLine(line + 1);
  };
  const toLine = (line: number) => select(lineStart(text, line), lineStart(text, line + 1) - 1);
  const edit = (made: { text: string; from: number; to: number }) => {
    // What is selected for one is selected in the list that has the change, not in the one before.
    flushSync(() => {
      keep(changed(stands.current, made.text, Date.now()));
      setPlacing(null);
    });
    select(made.from, made.to);
  };
  const add = (type: PartType) => {
    const list = stands.current.text;
    const line = placing && partLineAt(list, placing.at);
    if (!line) {
      const at = area.current?.selectionStart ?? list.length;
      edit(insertLine(list, at, lineFor(type, list)));
    } else if (placing.port === null) {
      edit({ text: changeType(list, line, type), from: line.from, to: line.from });
    } else edit(insertInto(list, line, placing.port, type));
  };

  return (
    <Frame
      title={machine ? `Circuit of ${machine.name}` : "New machine"}
      subtitle="Type what is there and what is joined"
    >
      <main className="grid min-h-0 flex-1 grid-cols-[minmax(30rem,1.15fr)_1fr]">
        <section aria-label="List" className="flex min-h-0 flex-col border-ink border-r-2">
          <div className="p-2">
            <div className="flex gap-2">
              <AddPart
                // A new place is a new question: what was typed for another one goes.
                key={placing ? `${placing.name} ${placing.port}` : ""}
                types={types.data ?? []}
                placing={placing}
                onAdd={add}
                onLeave={() => setPlacing(null)}
              />
              <Button
                aria-label="Take the last change back"
                disabled={history.past.length === 0}
                onClick={() => step(undone)}
              >
                ↶
              </Button>
              <Button
                aria-label="Do it again"
                disabled={history.future.length === 0}
                onClick={() => step(redone)}
              >
                ↷
              </Button>
            </div>
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
            onKeyDown={(e) => {
              const key = e.key.toLowerCase();
              if (!(e.ctrlKey || e.metaKey) || (key !== "z" && key !== "y")) return;
              // What buttons changed the field does not know of: its own undo would tear the list.
              e.preventDefault();
              step(key === "y" || e.shiftKey ? redone : undone);
            }}
            onKeyUp={(e) => setCursor(e.currentTarget.selectionStart)}
            onClick={(e) => setCursor(e.currentTarget.selectionStart)}
          />
          <PartHelp
            text={text}
            cursor={cursor}
            types={types.data ?? []}
            open={current ? (checked.data?.open_ports ?? []) : []}
            selection={() => [
              area.current?.selectionStart ?? cursor,
              area.current?.selectionEnd ?? cursor,
            ]}
            onEdit={edit}
            onPlace={setPlacing}
          />
          <Findings findings={findings} onLine={toLine} />
          {checked.error && <Failure error={checked.error} />}
        </section>
        <section aria-label="Map and machine" className="flex min-h-0 flex-col">
          <div className="min-h-0 flex-1">
            {drawn ? (
              <Schematic
                schematic={drawn}
                solved={solved}
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
                <Drafted
                  draft={draft.data}
                  state={ran?.id ?? null}
                  onState={setRunning}
                  onPart={toPart}
                />
                {!draft.data.pending && !draft.data.trouble && (
                  <div>
                    {machine ? (
                      <KeepCircuit
                        machine={machine}
                        listing={text}
                        beside={beside}
                        onKept={forget}
                      />
                    ) : (
                      <SaveMachine listing={text} beside={beside} onKept={forget} />
                    )}
                  </div>
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
