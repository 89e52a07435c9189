import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Instrument, type Workshop } from "../../api/client";
import { useWorkshop } from "../../api/queries";
import { Frame } from "../../ui/Frame";
import { Button, Failure, FIELD, Select, Tag } from "../../ui/primitives";
import { typedNumber, unitsOfKind } from "../../units";
import { AllJobs } from "./AllJobs";
import { Experience } from "./Experience";
import { newId, outOfDate } from "./kit";

const MEASURES: Record<Instrument["measures"], string> = {
  pressure: "Pressure",
  flow: "Flow",
  voltage: "Voltage",
  speed: "Speed of a shaft",
  temperature: "Temperature",
  time: "Time",
  length: "Length",
};

function Text(props: {
  label: string;
  value: string;
  onChange: (v: string) => void;
  bad?: string;
}) {
  return (
    <label className="grid content-start gap-1 text-sm">
      {props.label}
      <input
        className={FIELD}
        value={props.value}
        aria-invalid={!!props.bad}
        onChange={(e) => props.onChange(e.target.value)}
      />
      {props.bad && <span className="text-stop">{props.bad}</span>}
    </label>
  );
}

/** What labour costs, and in which money: every cost on every page follows from it. */
function Rate({ shop }: { shop: Workshop }) {
  const [rate, setRate] = useState(String(Math.round(shop.labour_per_min * 6000) / 100));
  const [currency, setCurrency] = useState(shop.currency);
  const [error, setError] = useState<Error | null>(null);
  const queries = useQueryClient();
  const perHour = typedNumber(rate);
  const fine = perHour >= 0 && perHour <= 60_000;
  const money = /^[A-Z]{3}$/.test(currency);
  const keep = async () => {
    setError(null);
    try {
      await api.changeWorkshop({ labour_per_min: perHour / 60, currency });
      await queries.invalidateQueries();
    } catch (failure) {
      setError(failure as Error);
    }
  };
  return (
    <section className="grid gap-2 rounded-lg border border-line bg-card p-3">
      <h2 className="font-bold">Labour</h2>
      <div className="grid grid-cols-[1fr_7rem] gap-2">
        <Text
          label="An hour costs"
          value={rate}
          onChange={setRate}
          bad={fine ? undefined : "A number from 0 on."}
        />
        <Text
          label="Currency"
          value={currency}
          onChange={(v) => setCurrency(v.toUpperCase())}
          bad={money ? undefined : "Three letters."}
        />
      </div>
      <Button look="main" disabled={!fine || !money} onClick={() => void keep()}>
        Keep
      </Button>
      {error && <Failure error={error} />}
    </section>
  );
}

interface EditorProps {
  shop: Workshop;
  instrument: Instrument;
  onDone: () => void;
}

function Editor({ shop, instrument, onDone }: EditorProps) {
  const [label, setLabel] = useState(instrument.label);
  const [measures, setMeasures] = useState(instrument.measures);
  const [low, setLow] = useState(String(instrument.low));
  const [high, setHigh] = useState(String(instrument.high));
  const units = unitsOfKind(shop.units, measures);
  const [symbol, setSymbol] = useState(instrument.unit);
  const unit = units.some((u) => u.symbol === symbol) ? symbol : (units[0]?.symbol ?? "");
  const [accuracy, setAccuracy] = useState(String(instrument.accuracy_pct));
  const [date, setDate] = useState(instrument.calibrated_on ?? "");
  const [months, setMonths] = useState(String(instrument.calibration_months));
  const [error, setError] = useState<Error | null>(null);
  const queries = useQueryClient();
  const range = typedNumber(low) < typedNumber(high) && typedNumber(high) > 0;
  const exact = typedNumber(accuracy) > 0 && typedNumber(accuracy) <= 20;
  const lasting = typedNumber(months) >= 1 && typedNumber(months) <= 120;
  const keep = async () => {
    setError(null);
    try {
      await api.keepInstrument({
        ...instrument,
        label: label.trim(),
        measures,
        low: typedNumber(low),
        high: typedNumber(high),
        unit,
        accuracy_pct: typedNumber(accuracy),
        calibrated_on: date || null,
        calibration_months: Math.round(typedNumber(months)),
      });
      await queries.invalidateQueries();
      onDone();
    } catch (failure) {
      setError(failure as Error);
    }
  };
  return (
    <section
      aria-label="Instrument"
      className="grid gap-2 rounded-lg border-2 border-way bg-card p-3"
    >
      <div className="grid grid-cols-2 gap-2">
        <Text
          label="Name"
          value={label}
          onChange={setLabel}
          bad={label.trim() ? undefined : "What is it called?"}
        />
        <div className="grid content-start gap-1 text-sm">
          What it measures
          <Select
            label="What it measures"
            value={measures}
            onChange={(v) => setMeasures(v as Instrument["measures"])}
            options={Object.entries(MEASURES).map(([value, word]) => ({ value, label: word }))}
          />
        </div>
      </div>
      <div className="grid grid-cols-4 gap-2">
        <Text label="From" value={low} onChange={setLow} />
        <Text
          label="To"
          value={high}
          onChange={setHigh}
          bad={range ? undefined : "Above where it begins."}
        />
        <div className="grid content-start gap-1 text-sm">
          Unit
          <Select
            label="Unit"
            value={unit}
            onChange={setSymbol}
            options={units.map((u) => ({ value: u.symbol, label: u.symbol }))}
          />
        </div>
        <Text
          label="Class [% of full scale]"
          value={accuracy}
          onChange={setAccuracy}
          bad={exact ? undefined : "0 … 20"}
        />
      </div>
      <div className="grid grid-cols-2 gap-2">
        <label className="grid gap-1 text-sm">
          Calibrated on
          <input
            type="date"
            className={FIELD}
            value={date}
            onChange={(e) => setDate(e.target.value)}
          />
        </label>
        <Text
          label="Good for [months]"
          value={months}
          onChange={setMonths}
          bad={lasting ? undefined : "1 … 120"}
        />
      </div>
      <div className="flex gap-2">
        <Button
          look="main"
          disabled={!label.trim() || !range || !exact || !lasting}
          onClick={() => void keep()}
        >
          Keep the instrument
        </Button>
        <Button onClick={onDone}>Leave it</Button>
      </div>
      {error && <Failure error={error} />}
    </section>
  );
}

function Line({ instrument, onEdit }: { instrument: Instrument; onEdit: () => void }) {
  const [error, setError] = useState<Error | null>(null);
  const queries = useQueryClient();
  const late = outOfDate(instrument, new Date());
  const retire = async () => {
    setError(null);
    try {
      await api.keepInstrument({ ...instrument, retired: !instrument.retired });
      await queries.invalidateQueries();
    } catch (failure) {
      setError(failure as Error);
    }
  };
  return (
    <li className="rounded-lg border border-line bg-card px-3 py-2">
      <div className="flex items-center justify-between gap-3">
        <div className={instrument.retired ? "opacity-60" : ""}>
          <p className="font-semibold">
            {instrument.label} {instrument.retired && <Tag tone="plain">retired</Tag>}
          </p>
          <p className="text-sm text-soft">
            {instrument.low} … {instrument.high} {instrument.unit} · {instrument.accuracy_pct} % of
            full scale
            {instrument.calibrated_on &&
              ` · calibrated ${new Date(instrument.calibrated_on).toLocaleDateString("en-GB")}`}
          </p>
          {late && <p className="text-sm text-warn">{late}</p>}
        </div>
        <div className="flex shrink-0 gap-2">
          <Button aria-label={`Change ${instrument.label}`} onClick={onEdit}>
            Change
          </Button>
          <Button
            aria-label={`${instrument.retired ? "Use again" : "Retire"} ${instrument.label}`}
            onClick={() => void retire()}
          >
            {instrument.retired ? "Use again" : "Retire"}
          </Button>
        </div>
      </div>
      {error && <Failure error={error} />}
    </li>
  );
}

/** The shop: what labour costs, and what it can measure with. */
export function ShopPage() {
  const shop = useWorkshop();
  const [edited, setEdited] = useState<string | null>(null);
  const found = shop.data;
  const kit = found?.instruments ?? [];
  const fresh: Instrument = {
    id: newId(
      "own",
      kit.map((i) => i.id),
    ),
    label: "",
    measures: "pressure",
    low: 0,
    high: 250,
    unit: "bar",
    accuracy_pct: 1.6,
    retired: false,
    calibrated_on: null,
    calibration_months: 12,
  };
  return (
    <Frame title={found?.name ?? "The shop"} subtitle="Labour, kit, what was found">
      <main className="min-h-0 flex-1 overflow-auto p-4">
        {shop.error && <Failure error={shop.error} />}
        {found && (
          <div className="mx-auto grid max-w-6xl grid-cols-[25rem_1fr] items-start gap-4 max-[900px]:grid-cols-1">
            <div className="grid gap-4">
              <Rate key={`${found.labour_per_min}${found.currency}`} shop={found} />
              <Experience />
              <AllJobs />
            </div>
            <section className="grid gap-2">
              <div className="flex items-center justify-between gap-3">
                <div>
                  <h2 className="font-bold">What it measures with</h2>
                  <p className="text-sm text-soft">
                    Steps are planned for what is here; what is retired is proposed no more, and
                    what was read with it stays as it is.
                  </p>
                </div>
                <Button look="main" className="shrink-0" onClick={() => setEdited(fresh.id)}>
                  An instrument more
                </Button>
              </div>
              {edited === fresh.id && (
                <Editor shop={found} instrument={fresh} onDone={() => setEdited(null)} />
              )}
              <ul className="grid gap-2">
                {kit.map((i) =>
                  i.id === edited ? (
                    <li key={i.id}>
                      <Editor shop={found} instrument={i} onDone={() => setEdited(null)} />
                    </li>
                  ) : (
                    <Line key={i.id} instrument={i} onEdit={() => setEdited(i.id)} />
                  ),
                )}
              </ul>
            </section>
          </div>
        )}
      </main>
    </Frame>
  );
}
