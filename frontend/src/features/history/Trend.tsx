import type { Trend } from "../../api/client";
import { show, showBand } from "../../units";
import { VERDICT } from "../../words";

const WIDTH = 420;
const HEIGHT = 160;
const LEFT = 46;
const RIGHT = 14;
const TOP = 10;
const BOTTOM = 24;
/** Readings at the same hours stand beside each other. */
const BESIDE = 16;

export interface Scale {
  low: number;
  high: number;
}

/** Room for the values and for the specification's ends, with air above and below. */
export function valueScale(trend: Pick<Trend, "low" | "high" | "readings">): Scale {
  const all = trend.readings.map((r) => r.value);
  if (trend.low !== null) all.push(trend.low);
  if (trend.high !== null) all.push(trend.high);
  const low = Math.min(...all);
  const high = Math.max(...all);
  const air = (high - low || Math.abs(high) || 1) * 0.12;
  return { low: low - air, high: high + air };
}

/** Hours along the bottom; where they never changed, the order of the readings. */
export function places(readings: Pick<Trend["readings"][number], "hours">[]): number[] {
  const hours = readings.map((r) => r.hours);
  const first = Math.min(...hours);
  const span = Math.max(...hours) - first;
  if (span > 0) return hours.map((h) => (h - first) / span);
  return readings.map((_, i) => (readings.length > 1 ? i / (readings.length - 1) : 0.5));
}

/** How many readings share the same hours, at most. */
function mostBeside(readings: Trend["readings"]): number {
  return Math.max(...readings.map((r) => readings.filter((o) => o.hours === r.hours).length));
}

function Mark({ x, y, bad }: { x: number; y: number; bad: boolean }) {
  // A shape beside the colour: outside its limits it is a cross.
  return bad ? (
    <path
      d={`M${x - 5} ${y - 5} l10 10 M${x - 5} ${y + 5} l10 -10`}
      className="stroke-stop"
      strokeWidth="2.5"
    />
  ) : (
    <circle cx={x} cy={y} r="4.5" className="fill-way" />
  );
}

/**
 * What was read at one place over the machine's hours, the specification's band behind it.
 * Of several machines each has a line of its own, and is named beside its readings.
 */
export function TrendChart({ trend, named = false }: { trend: Trend; named?: boolean }) {
  const machines = [...new Set(trend.readings.map((r) => r.machine_id))];
  const scale = valueScale(trend);
  const across = places(trend.readings);
  const room = WIDTH - LEFT - RIGHT - 24 - BESIDE * (mostBeside(trend.readings) - 1);
  const x = (share: number) => LEFT + 14 + share * room;
  const y = (value: number) =>
    TOP + ((scale.high - value) / (scale.high - scale.low)) * (HEIGHT - TOP - BOTTOM);
  const points = trend.readings.map((r, i) => {
    const before = trend.readings.slice(0, i).filter((o) => o.hours === r.hours).length;
    const spread = across[i] === across[i - 1] || across[i] === across[i + 1];
    return {
      r,
      x: x(across[i] ?? 0) + (spread ? before * BESIDE : 0),
      y: y(r.value),
      first: before === 0,
    };
  });
  const top = trend.high === null ? TOP : y(trend.high);
  const bottom = trend.low === null ? HEIGHT - BOTTOM : y(trend.low);
  const specified = trend.low !== null || trend.high !== null;
  const title = `${trend.place_label} — ${trend.state_label}`;
  return (
    <figure className="rounded-lg border border-line bg-card p-3">
      <figcaption className="mb-1">
        <b>{title}</b>
        <span className="block text-sm text-soft">
          {specified
            ? `Specified ${showBand(trend.low ?? -1e9, trend.high ?? 1e9, trend.unit)} · ${trend.source}`
            : "Not specified"}
        </span>
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full"
        role="img"
        aria-label={`${title}: ${trend.readings.map((r) => `${show(r.value)} ${trend.unit} at ${r.hours} h`).join(", ")}`}
      >
        {specified && (
          <rect
            x={LEFT}
            y={top}
            width={WIDTH - LEFT - RIGHT}
            height={Math.max(bottom - top, 1)}
            className="fill-good-soft"
          />
        )}
        <path
          d={`M${LEFT} ${TOP} V${HEIGHT - BOTTOM} H${WIDTH - RIGHT}`}
          className="fill-none stroke-ink"
        />
        {[trend.low, trend.high].map(
          (limit, i) =>
            limit !== null && (
              <text
                key={i === 0 ? "low" : "high"}
                x={LEFT - 6}
                y={y(limit) + 4}
                textAnchor="end"
                className="fill-good text-[12px]"
              >
                {show(limit)}
              </text>
            ),
        )}
        {machines.map((id) => (
          <polyline
            key={id}
            points={points
              .filter((p) => p.r.machine_id === id)
              .map((p) => `${p.x},${p.y}`)
              .join(" ")}
            className="fill-none stroke-way"
            strokeWidth="1.5"
          />
        ))}
        {named &&
          machines.length > 1 &&
          machines.map((id) => {
            // Each line is named where it ends.
            const last = points.findLast((p) => p.r.machine_id === id);
            if (!last) return null;
            const left = last.x < LEFT + room / 2;
            return (
              <text
                key={id}
                x={last.x + (left ? 8 : -8)}
                y={last.y - 8}
                textAnchor={left ? "start" : "end"}
                className="fill-ink text-[12px]"
              >
                {last.r.machine}
              </text>
            );
          })}
        {points.map((p) => (
          <g key={p.r.entry}>
            {p.r.after_repair && (
              <path
                d={`M${p.x} ${TOP} V${HEIGHT - BOTTOM}`}
                className="stroke-soft"
                strokeDasharray="2 4"
              />
            )}
            <Mark x={p.x} y={p.y} bad={p.r.verdict === "low" || p.r.verdict === "high"} />
            {p.first && (
              <text x={p.x} y={HEIGHT - 7} textAnchor="middle" className="fill-soft text-[12px]">
                {p.r.hours.toLocaleString("en")} h
              </text>
            )}
          </g>
        ))}
      </svg>
      <details>
        <summary className="flex min-h-11 cursor-pointer items-center text-sm text-way">
          {trend.readings.length} readings
        </summary>
        <table className="w-full text-left text-sm">
          <tbody>
            {trend.readings.map((r) => (
              <tr key={r.entry} className="border-line border-t">
                {named && <td className="py-1 pr-2">{r.machine}</td>}
                <td className="py-1">{new Date(r.read_at).toLocaleDateString("en-GB")}</td>
                <td>{r.hours.toLocaleString("en")} h</td>
                <td className="text-right">
                  {show(r.value)} {trend.unit}
                </td>
                <td className="pl-3">{r.verdict ? VERDICT[r.verdict]?.word : ""}</td>
                <td>{r.after_repair ? "after the repair" : ""}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </figure>
  );
}
