import { useState } from "react";
import type { Readable, Reading, Schematic } from "../../api/client";
import { useReadable } from "../../api/queries";
import { Button, Failure, FIELD, Select } from "../../ui/primitives";
import { Levers } from "./Levers";
import { stateWith, type Told } from "./onTheSpot";

const nameOf = (r: Readable) => `${r.quantity}/${r.place}`;

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
  const [told, setTold] = useState<Told>({});
  const offers = readable.data ?? [];
  const offer = offers.find((r) => nameOf(r) === what) ?? offers[0];
  const running = offer?.states.find(
    (id) => schematic.states.find((s) => s.id === id)?.engine !== "off",
  );
  const stateId = offer?.states.includes(where) ? where : (running ?? offer?.states[0] ?? "");
  const named = schematic.states.find((s) => s.id === stateId);
  const state = stateWith(schematic, stateId, told);
  // What is told on top of one state is not told of another.
  const begin = (id: string) => {
    setWhere(id);
    setTold(({ engine, oil }) => ({ engine, oil }));
  };
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
            onChange={begin}
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
                  value={told.engine ?? ""}
                  placeholder={named.engine}
                  onChange={(e) => setTold({ ...told, engine: e.target.value })}
                />
              </label>
              <label className="grid gap-1">
                Oil [°C]
                <input
                  className={FIELD}
                  inputMode="decimal"
                  value={told.oil ?? ""}
                  placeholder={String(named.oil_c)}
                  aria-invalid={state === null}
                  onChange={(e) => setTold({ ...told, oil: e.target.value })}
                />
              </label>
            </div>
          )}
          {named && (
            <Levers schematic={schematic} named={named.document} told={told} onTell={setTold} />
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
