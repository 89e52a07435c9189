import { useState } from "react";
import type { Band, EntryData, FlowCurve, Schematic, Step, Workshop } from "../../api/client";
import { Button, FIELD, Notice } from "../../ui/primitives";
import { fromBase, show, typedNumber, type Unit, unitsFor } from "../../units";
import { type FlowRow, readingsOf, rowsOf } from "./flowRows";

interface FlowCurvePanelProps {
  curve: FlowCurve;
  /** The single reading that it is offered beside. */
  single: Step;
  schematic: Schematic;
  workshop: Workshop;
  names: Map<string, string>;
  onKeep: (data: EntryData) => void;
}

const WIDTH = 420;
const HEIGHT = 210;
const LEFT = 46;
const FOOT = 34;
const LINES = ["var(--color-suspect)", "var(--color-way)", "var(--color-warn)"];
const DASHES = ["", "7 3", "2 3"];

/** Flow at several pressures as one step: what each would show, and rows to enter. */
export function FlowCurvePanel(props: FlowCurvePanelProps) {
  const { curve, single, schematic, workshop, names, onKeep } = props;
  const instrument = workshop.instruments.find((i) => i.id === single.instrument);
  const units: Unit[] = unitsFor(workshop.units, "flow_lpm");
  const unit = units.find((u) => u.symbol === instrument?.unit) ?? units[0];
  const [rows, setRows] = useState<FlowRow[]>(
    curve.loads_bar.map((bar) => ({ bar: String(bar), flow: "" })),
  );
  if (!unit) return null;
  const { readings, wrong } = readingsOf(curve, schematic, rows, unit, single.instrument);
  const set = (at: number, changed: Partial<FlowRow>) =>
    setRows(rows.map((row, i) => (i === at ? { ...row, ...changed } : row)));
  const paste = (text: string) => {
    const found = rowsOf(text);
    if (found.length > 1) setRows(found);
    return found.length > 1;
  };
  return (
    <section aria-label="Flow at several pressures" className="grid gap-2">
      <h3 className="font-bold text-sm">
        The same at {curve.loads_bar.length} pressures, in one go
      </h3>
      <p className="text-sm">
        {curve.bits < 0.01
          ? "Tells nothing about who it is"
          : `Tells ${curve.bits.toFixed(2)} bit instead of ${single.bits.toFixed(2)}`}
        , {Math.max(0, Math.round(curve.minutes - single.minutes))} min more. Turn the load valve in
        slowly, never shut it against the pump; open it before you stop.
      </p>
      <Chart curve={curve} rows={rows} unit={unit} names={names} />
      <table className="w-full text-sm">
        <thead>
          <tr className="text-left">
            <th className="font-semibold">Loaded to [bar]</th>
            <th className="font-semibold">Flow [{unit.symbol}]</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a row is its place, its cells are typed
            <tr key={at}>
              <Cell
                label={`Pressure of row ${at + 1}`}
                value={row.bar}
                onChange={(bar) => set(at, { bar })}
              />
              <Cell
                label={`Flow of row ${at + 1}`}
                value={row.flow}
                onChange={(flow) => set(at, { flow })}
                onPaste={paste}
              />
            </tr>
          ))}
        </tbody>
      </table>
      {wrong && <Notice tone="warn">{wrong}</Notice>}
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => setRows([...rows, { bar: "", flow: "" }])}>One row more</Button>
        <Button
          look="main"
          disabled={readings.length === 0 || wrong !== null}
          onClick={() => {
            for (const reading of readings) onKeep(reading);
          }}
        >
          Keep {readings.length || "the"} {readings.length === 1 ? "reading" : "readings"}
        </Button>
      </div>
      <p className="text-soft text-sm">
        Rows of a table, pressure and flow, can be pasted into a flow's field.
      </p>
    </section>
  );
}

interface CellProps {
  label: string;
  value: string;
  onChange: (typed: string) => void;
  /** Whether what was pasted is taken otherwise than as this cell's number. */
  onPaste?: (text: string) => boolean;
}

function Cell({ label, value, onChange, onPaste }: CellProps) {
  return (
    <td className="pr-1 pb-1">
      <input
        className={FIELD}
        inputMode="decimal"
        aria-label={label}
        value={value}
        onChange={(e) => onChange(e.target.value)}
        onPaste={(e) => {
          if (onPaste?.(e.clipboardData.getData("text"))) e.preventDefault();
        }}
      />
    </td>
  );
}

interface Line {
  key: string;
  label: string;
  bands: Band[];
}

/** The healthy machine's band and the first suspects' lines over pressure, and what was typed. */
function Chart({
  curve,
  rows,
  unit,
  names,
}: Pick<FlowCurvePanelProps, "curve" | "names"> & { rows: FlowRow[]; unit: Unit }) {
  const healthy = curve.steps.flatMap((s) => (s.healthy ? [s.healthy] : []));
  const lines: Line[] = [...names]
    .filter(([key]) => key !== "healthy")
    .map(([key, label]) => ({
      key,
      label,
      bands: curve.steps.flatMap((s) => s.by_suspect.filter((b) => b.key === key)),
    }))
    .filter((line) => line.bands.length === curve.steps.length)
    .slice(0, LINES.length);
  const typed = rows
    .map((row) => ({ bar: typedNumber(row.bar), flow: typedNumber(row.flow) }))
    .filter((row) => Number.isFinite(row.bar) && Number.isFinite(row.flow));
  const inUnit = (value: number) => fromBase(value, unit);
  const middle = (band: Band) => inUnit((band.low + band.high) / 2);
  const most = Math.max(
    1,
    ...healthy.map((b) => inUnit(b.high)),
    ...lines.flatMap((l) => l.bands.map(middle)),
    ...typed.map((t) => t.flow),
  );
  const far = Math.max(1, ...curve.loads_bar, ...typed.map((t) => t.bar));
  const x = (bar: number) => LEFT + (bar / far) * (WIDTH - LEFT - 22);
  const y = (flow: number) => HEIGHT - FOOT - (Math.max(flow, 0) / most) * (HEIGHT - FOOT - 12);
  const at = (values: number[]) =>
    values.map((v, i) => `${x(curve.loads_bar[i] ?? 0)},${y(v)}`).join(" ");
  return (
    <figure>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full rounded-md border border-line bg-white"
        role="img"
        aria-label={`Flow over pressure: healthy machine, ${lines.map((l) => l.label).join(", ")}`}
      >
        {healthy.length === curve.steps.length && (
          <polygon
            points={`${at(healthy.map((b) => inUnit(b.low)))} ${at(
              healthy.map((b) => inUnit(b.high)),
            )
              .split(" ")
              .reverse()
              .join(" ")}`}
            fill="var(--color-good)"
            fillOpacity={0.3}
          />
        )}
        {lines.map((line, i) => (
          <polyline
            key={line.key}
            points={at(line.bands.map(middle))}
            fill="none"
            stroke={LINES[i]}
            strokeWidth={2.5}
            strokeDasharray={DASHES[i]}
          />
        ))}
        {typed.map((t) => (
          <circle key={t.bar} cx={x(t.bar)} cy={y(t.flow)} r={6} className="fill-ink" />
        ))}
        <path
          d={`M${LEFT} 8 V${HEIGHT - FOOT} H${WIDTH - 8}`}
          fill="none"
          className="stroke-ink"
          strokeWidth={1.5}
        />
        {[0, most / 2, most].map((v) => (
          <text key={v} x={LEFT - 6} y={y(v) + 5} textAnchor="end" fontSize={13}>
            {show(v)}
          </text>
        ))}
        {curve.loads_bar.map((bar) => (
          <text key={bar} x={x(bar)} y={HEIGHT - FOOT + 17} textAnchor="middle" fontSize={13}>
            {bar}
          </text>
        ))}
        <text x={WIDTH - 8} y={HEIGHT - 4} textAnchor="end" fontSize={13}>
          bar at the meter
        </text>
        <text x={4} y={HEIGHT - 4} fontSize={13}>
          {unit.symbol}
        </text>
      </svg>
      <figcaption className="grid gap-0.5 pt-1 text-sm">
        <span>
          <span className="mr-1.5 inline-block h-3 w-6 bg-good/30 align-middle" />
          Healthy machine
        </span>
        {lines.map((line, i) => (
          <span key={line.key}>
            <svg className="mr-1.5 inline-block h-3 w-6" aria-hidden="true">
              <path d="M0 6 H24" stroke={LINES[i]} strokeWidth={2.5} strokeDasharray={DASHES[i]} />
            </svg>
            {line.label}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}
