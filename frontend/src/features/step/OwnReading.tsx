import { useState } from "react";
import type { MachineState, Readable, Reading, Schematic } from "../../api/client";
import { useReadable } from "../../api/queries";
import { Button, Failure, FIELD, Select } from "../../ui/primitives";
import { typedNumber } from "../../units";

const nameOf = (r: Readable) => `${r.quantity}/${r.place}`;

/** A named state as it is, or with another engine speed or oil temperature. */
export function stateWith(
  schematic: Schematic,
  id: string,
  engine: string,
  oil: string,
): string | MachineState | null {
  const named = schematic.states.find((s) => s.id === id)?.document;
  // What is read in time passes through several states: it is read as it is described.
  if (!named) return id;
  const oilC = oil.trim() === "" ? named.oil_c : typedNumber(oil);
  const typed = engine.trim();
  const rpm = typed === "" ? named.engine : Number.isNaN(Number(typed)) ? typed : Number(typed);
  if (!Number.isFinite(oilC)) return null;
  if (oilC === named.oil_c && String(rpm) === String(named.engine)) return id;
  const label = `${named.label}, engine ${typeof rpm === "number" ? `${rpm} rpm` : rpm}, oil ${oilC} °C`;
  return { ...named, label, engine: rpm as MachineState["engine"], oil_c: oilC };
}

interface OwnReadingProps {
  revision: number;
  schematic: Schematic;
  trouble: string | null;
  busy: boolean;
  /** ``base``: the named state that it is, or that it began with. */
  onAsk: (reading: Reading, base: string) => void;
}

/** Any reading one wants to take: what, where, in which state; it is judged before it is taken. */
export function OwnReading({ revision, schematic, trouble, busy, onAsk }: OwnReadingProps) {
  const [open, setOpen] = useState(false);
  const readable = useReadable(revision, open);
  const [what, setWhat] = useState("");
  const [where, setWhere] = useState("");
  const [engine, setEngine] = useState("");
  const [oil, setOil] = useState("");
  const offers = readable.data ?? [];
  const offer = offers.find((r) => nameOf(r) === what) ?? offers[0];
  const running = offer?.states.find(
    (id) => schematic.states.find((s) => s.id === id)?.engine !== "off",
  );
  const stateId = offer?.states.includes(where) ? where : (running ?? offer?.states[0] ?? "");
  const named = schematic.states.find((s) => s.id === stateId);
  const state = stateWith(schematic, stateId, engine, oil);
  const ask = () => {
    if (!offer || state === null) return;
    const reading: Reading = {
      kind: "reading",
      id: "new",
      point: offer.place,
      quantity: offer.quantity as Reading["quantity"],
      state,
      value: 0,
      unit: offer.unit,
      repeats: [],
      instrument: null,
    };
    onAsk(reading, stateId);
  };
  return (
    <details className="text-sm" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="flex min-h-11 cursor-pointer items-center font-bold">
        Another reading, of your own choice
      </summary>
      {readable.error && <Failure error={readable.error} />}
      {offer && (
        <div className="grid gap-2 rounded-md border border-line bg-card p-3">
          <Select
            label="What is read, and where"
            value={nameOf(offer)}
            onChange={setWhat}
            options={offers.map((r) => ({
              value: nameOf(r),
              label: `${r.place_label}: ${r.quantity_label}`,
            }))}
          />
          <Select
            label="In which state"
            value={stateId}
            onChange={setWhere}
            options={offer.states.map((id) => ({
              value: id,
              label: schematic.states.find((s) => s.id === id)?.label ?? "as it is described",
            }))}
          />
          {named && (
            <div className="grid grid-cols-2 gap-2">
              <label className="grid gap-1">
                Engine
                <input
                  className={FIELD}
                  value={engine}
                  placeholder={named.engine}
                  onChange={(e) => setEngine(e.target.value)}
                />
              </label>
              <label className="grid gap-1">
                Oil [°C]
                <input
                  className={FIELD}
                  inputMode="decimal"
                  value={oil}
                  placeholder={String(named.oil_c)}
                  aria-invalid={state === null}
                  onChange={(e) => setOil(e.target.value)}
                />
              </label>
            </div>
          )}
          <Button look="main" disabled={busy || state === null} onClick={ask}>
            {busy ? "Working it out …" : "What would it show, and is it safe?"}
          </Button>
          {trouble && <Failure error={new Error(trouble)} />}
        </div>
      )}
    </details>
  );
}
