import { useEffect, useState } from "react";
import type { SolvedState, Suspect, Watched } from "../../api/client";
import { useCurve } from "../../api/queries";
import { Button } from "../../ui/primitives";
import { show } from "../../units";

const WIDTH = 400;
const HEIGHT = 170;
const LEFT = 40;
const TOP = 8;
const BOTTOM = 24;

const TIMED = new Set(["peak_bar", "left_bar", "within_s", "interval_s", "moved_mm"]);

/** Is there a curve to be watched while this is read. */
export const overTime = (quantity: string) => TIMED.has(quantity);

/** A single fault as the server plays it: to a twentieth of its severity. */
export function faultOf(suspect: Suspect | undefined): string | null {
  if (suspect?.faults.length !== 1) return null;
  const severity = Math.min(Math.max(Math.round(suspect.severity * 20) / 20, 0.05), 1);
  return `${suspect.key}=${severity.toFixed(2)}`;
}

/** Ends of the axis of values: all curves, and the level that is waited for. */
export function range(curves: Watched[]): { low: number; high: number } {
  const values = curves.flatMap((c) => (c.level === null ? c.values : [...c.values, c.level]));
  const low = Math.min(0, ...values);
  const high = Math.max(...values);
  return { low, high: high > low ? high + 0.05 * (high - low) : low + 1 };
}

function path(curve: Watched, x: (s: number) => number, y: (v: number) => number): string {
  return curve.values
    .map((v, i) => `${i ? "L" : "M"}${x(curve.time_s[i] ?? 0).toFixed(1)} ${y(v).toFixed(1)}`)
    .join("");
}

/** What the gauge or the rod does meanwhile: on the machine in order, and with the leader's fault. */
export function Drawn({
  healthy,
  suspected,
  name,
}: {
  healthy: Watched;
  suspected: Watched | null;
  name: string;
}) {
  const { low, high } = range(suspected ? [healthy, suspected] : [healthy]);
  const end = healthy.time_s.at(-1) ?? 1;
  const x = (s: number) => LEFT + (s / end) * (WIDTH - LEFT - 8);
  const y = (v: number) => TOP + ((high - v) / (high - low)) * (HEIGHT - TOP - BOTTOM);
  const last = healthy.values.at(-1) ?? 0;
  const other = suspected?.values.at(-1);
  return (
    <figure>
      <figcaption className="mb-1 font-bold text-sm">
        {healthy.what} [{healthy.unit}] over time
        <span className="block font-normal">
          <span className="text-good">━ in order</span>
          {suspected && (
            <>
              {" "}
              · <span className="text-suspect">╍ if {name}</span>
            </>
          )}
        </span>
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full rounded-md bg-card"
        role="img"
        aria-label={`${healthy.what} over ${show(end)} s: in order it ends at ${show(last)} ${healthy.unit}${
          other === undefined ? "" : `, if ${name} at ${show(other)} ${healthy.unit}`
        }`}
      >
        {healthy.phases.slice(1).map((p) => (
          <path
            key={`${p.at_s}${p.label}`}
            d={`M${x(p.at_s)} ${TOP} V${HEIGHT - BOTTOM}`}
            className="stroke-line"
            strokeDasharray="3 3"
          />
        ))}
        <path
          d={`M${LEFT} ${TOP} V${HEIGHT - BOTTOM} H${WIDTH - 8}`}
          className="fill-none stroke-ink"
        />
        {[low, high].map((v) => (
          <text
            key={v}
            x={LEFT - 4}
            y={y(v) + 4}
            textAnchor="end"
            className="fill-soft text-[11px]"
          >
            {show(v)}
          </text>
        ))}
        <text x={LEFT} y={HEIGHT - 8} className="fill-soft text-[11px]">
          0
        </text>
        <text x={WIDTH - 8} y={HEIGHT - 8} textAnchor="end" className="fill-soft text-[11px]">
          {show(end)} s
        </text>
        {healthy.level !== null && (
          <path
            d={`M${LEFT} ${y(healthy.level)} H${WIDTH - 8}`}
            className="stroke-ink"
            strokeDasharray="1 4"
          />
        )}
        {suspected && (
          <path
            d={path(suspected, x, y)}
            className="fill-none stroke-suspect"
            strokeWidth="2"
            strokeDasharray="6 4"
          />
        )}
        <path d={path(healthy, x, y)} className="fill-none stroke-good" strokeWidth="2" />
      </svg>
    </figure>
  );
}

/** One moment of what is played: the map shows it in place of a steady state. */
export interface Moment {
  words: string;
  solved: SolvedState;
}

/** The whole machine at one of the moments that were played. */
export function momentOf(curve: Watched, index: number, machine: string): Moment {
  const at = curve.moments_s[index] ?? 0;
  const phase = curve.phases.filter((p) => p.at_s <= at).at(-1)?.label ?? "";
  return {
    words: `${show(at)} s, ${machine}: ${phase}`,
    solved: {
      state: "",
      suspect: null,
      pending: false,
      nets: Object.fromEntries(
        curve.nets.map((n) => [n.net, { value: n.values[index] ?? 0, unit: n.unit }]),
      ),
      flows_lpm: {},
    },
  };
}

const PLAYED_IN_MS = 8000;

/** Goes through the moments by hand or by itself, and tells each to the map. */
export function Along({
  healthy,
  suspected,
  name,
  onMoment,
}: {
  healthy: Watched;
  suspected: Watched | null;
  name: string;
  onMoment: (moment: Moment | null) => void;
}) {
  const [index, setIndex] = useState<number | null>(null);
  const [faulty, setFaulty] = useState(false);
  const [runs, setRuns] = useState(false);
  const curve = faulty && suspected ? suspected : healthy;
  const last = curve.moments_s.length - 1;
  const machine = faulty && suspected ? `if ${name}` : "in order";
  useEffect(() => {
    if (index !== null) onMoment(momentOf(curve, index, machine));
  }, [curve, index, machine, onMoment]);
  // Whoever goes on to another step leaves the map to it.
  useEffect(() => () => onMoment(null), [onMoment]);
  useEffect(() => {
    if (!runs) return;
    const timer = setInterval(
      () => setIndex((at) => (at === null || at >= last ? 0 : at + 1)),
      PLAYED_IN_MS / (last + 1),
    );
    return () => clearInterval(timer);
  }, [runs, last]);
  return (
    <div className="grid gap-1">
      <label className="grid gap-1 text-sm">
        On the map, {show(curve.moments_s[index ?? 0] ?? 0)} s
        <input
          type="range"
          className="h-11 w-full accent-way"
          min={0}
          max={last}
          value={index ?? 0}
          onChange={(e) => {
            setRuns(false);
            setIndex(Number(e.target.value));
          }}
        />
      </label>
      <div className="flex flex-wrap gap-2">
        <Button aria-pressed={runs} look={runs ? "chosen" : "plain"} onClick={() => setRuns(!runs)}>
          {runs ? "Hold it" : "Play it on the map"}
        </Button>
        {suspected && (
          <Button
            aria-pressed={faulty}
            look={faulty ? "chosen" : "plain"}
            onClick={() => {
              setFaulty(!faulty);
              setIndex((at) => at ?? 0);
            }}
          >
            {faulty ? "Show it in order" : "Show it with the fault"}
          </Button>
        )}
        {index !== null && (
          <Button
            look="quiet"
            onClick={() => {
              setRuns(false);
              setIndex(null);
              onMoment(null);
            }}
          >
            Leave the map as it was
          </Button>
        )}
      </div>
    </div>
  );
}

/** The curve that a reading in time is taken from; nothing while it is played, or where there is none. */
export function OverTime({
  revision,
  timing,
  leader,
  onMoment,
}: {
  revision: number;
  timing: string;
  leader: Suspect | undefined;
  onMoment: (moment: Moment | null) => void;
}) {
  const fault = faultOf(leader);
  const healthy = useCurve(revision, timing, "");
  const suspected = useCurve(revision, timing, fault);
  if (healthy.isError || healthy.data?.trouble) return null;
  if (!healthy.data?.curve) {
    return (
      <p className="text-sm" aria-live="polite">
        How it goes over time is being played …
      </p>
    );
  }
  const both = {
    healthy: healthy.data.curve,
    suspected: suspected.data?.curve ?? null,
    name: leader?.title ?? "",
  };
  return (
    <div className="grid gap-2">
      <Drawn {...both} />
      <Along {...both} onMoment={onMoment} />
    </div>
  );
}
