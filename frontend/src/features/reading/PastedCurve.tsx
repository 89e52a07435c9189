import { useState } from "react";
import type { RecordedCurve } from "../../api/client";
import { Button, Failure, FIELD, Select } from "../../ui/primitives";
import type { Unit } from "../../units";

interface PastedCurveProps {
  units: Unit[];
  /** Reads the pasted rows: the value that the timing takes from them. */
  onRead: (text: string, unit: string) => Promise<RecordedCurve>;
  onFound: (found: RecordedCurve) => void;
}

/** What a logger recorded, pasted or opened as a file; the first row is when watching began. */
export function PastedCurve({ units, onRead, onFound }: PastedCurveProps) {
  const [text, setText] = useState("");
  const [unit, setUnit] = useState(units[0]?.symbol ?? "bar");
  const [error, setError] = useState<Error | null>(null);
  const [busy, setBusy] = useState(false);
  const read = async () => {
    setBusy(true);
    setError(null);
    try {
      onFound(await onRead(text, unit));
    } catch (failure) {
      setError(failure as Error);
    }
    setBusy(false);
  };
  return (
    <details className="text-sm">
      <summary className="flex min-h-11 cursor-pointer items-center font-semibold">
        Paste or open a recorded curve
      </summary>
      <div className="grid gap-2">
        <label className="grid gap-1">
          Rows of seconds and value, from when the state began
          <textarea
            className={`${FIELD} min-h-24 py-2 font-mono`}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        </label>
        <input
          type="file"
          accept=".csv,.txt,.tsv,text/plain"
          aria-label="Open a file with the curve"
          className="min-h-11"
          onChange={async (e) => setText((await e.target.files?.[0]?.text()) ?? text)}
        />
        <div className="grid grid-cols-2 gap-2">
          <Select
            label="Unit of the curve"
            value={unit}
            onChange={setUnit}
            options={units.map((u) => ({ value: u.symbol, label: u.symbol }))}
          />
          <Button disabled={!text.trim() || busy} onClick={read}>
            Read the curve
          </Button>
        </div>
        {error && <Failure error={error} />}
      </div>
    </details>
  );
}
