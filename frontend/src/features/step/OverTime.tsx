import type { Suspect, Watched } from "../../api/client";
import { useCurve } from "../../api/queries";
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

/** The curve that a reading in time is taken from; nothing while it is played, or where there is none. */
export function OverTime({
  revision,
  timing,
  leader,
}: {
  revision: number;
  timing: string;
  leader: Suspect | undefined;
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
  return (
    <Drawn
      healthy={healthy.data.curve}
      suspected={suspected.data?.curve ?? null}
      name={leader?.title ?? ""}
    />
  );
}
