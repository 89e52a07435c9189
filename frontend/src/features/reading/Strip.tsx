import type { Band } from "../../api/client";
import { percent, show } from "../../units";

export interface StripRow {
  key: string;
  label: string;
  share: number;
  low: number;
  high: number;
}

interface StripProps {
  unit: string;
  healthy: Band | null | undefined;
  specification: Band | null | undefined;
  rows: StripRow[];
  value: number | null;
}

const WIDTH = 420;
const LEFT = 8;
const ROW = 30;
const TOP = 18;
const LABEL_LETTERS = 62;

/** A label that leaves room for its share on the strip. */
function short(label: string): string {
  return label.length > LABEL_LETTERS ? `${label.slice(0, LABEL_LETTERS - 1)}…` : label;
}

function bounds(props: StripProps): [number, number] {
  const ends = props.rows.flatMap((r) => [r.low, r.high]);
  if (props.healthy) ends.push(props.healthy.low, props.healthy.high);
  for (const limit of [props.specification?.low, props.specification?.high]) {
    if (limit !== undefined && Math.abs(limit) < 1e8) ends.push(limit);
  }
  if (props.value !== null) ends.push(props.value);
  const low = Math.min(...ends);
  const high = Math.max(...ends);
  const room = Math.max((high - low) * 0.06, 0.5);
  return [low < 0 ? low - room : Math.max(0, low - room), high + room];
}

/** One look tells who agrees: specification band, healthy spread, each suspect's spread, reading. */
export function Strip(props: StripProps) {
  const [low, high] = bounds(props);
  const x = (v: number) =>
    LEFT + ((Math.min(Math.max(v, low), high) - low) / (high - low)) * (WIDTH - 2 * LEFT);
  const all = props.healthy
    ? [
        {
          key: "healthy",
          label: "Healthy machine",
          share: 0,
          low: props.healthy.low,
          high: props.healthy.high,
        },
        ...props.rows,
      ]
    : props.rows;
  const height = TOP + all.length * ROW + 24;
  const spec = props.specification;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${height}`}
      className="w-full max-w-xl"
      role="img"
      aria-label={`What each suspect would show, in ${props.unit}`}
    >
      {spec && (
        <g>
          <rect
            x={x(spec.low)}
            y={TOP - 4}
            width={Math.max(x(spec.high) - x(spec.low), 2)}
            height={height - TOP - 16}
            className="fill-good-soft stroke-good"
            strokeDasharray="4 3"
          />
          <text
            x={x(Math.max(spec.low, low))}
            y={11}
            fontSize={11}
            className="fill-good font-semibold"
          >
            specified
          </text>
        </g>
      )}
      {all.map((row, i) => {
        const y = TOP + i * ROW;
        const healthy = row.key === "healthy";
        return (
          <g key={row.key}>
            <text
              x={LEFT}
              y={y + 11}
              fontSize={11.5}
              className="fill-ink stroke-paper"
              strokeWidth={3}
              paintOrder="stroke"
            >
              {short(row.label)}
              {row.share > 0 && <tspan className="font-bold"> {percent(row.share)}</tspan>}
            </text>
            <rect
              x={x(row.low)}
              y={y + 15}
              width={Math.max(x(row.high) - x(row.low), 3)}
              height={8}
              rx={4}
              className={healthy ? "fill-good" : "fill-suspect"}
              fillOpacity={healthy ? 0.8 : 0.35 + 0.6 * Math.min(row.share * 1.5, 1)}
            />
          </g>
        );
      })}
      {props.value !== null && (
        <g>
          <line
            x1={x(props.value)}
            x2={x(props.value)}
            y1={TOP - 6}
            y2={height - 16}
            className="stroke-ink"
            strokeWidth={2.5}
          />
          <text
            x={Math.min(x(props.value) + 5, WIDTH - 62)}
            y={11}
            fontSize={13}
            className="fill-ink font-bold"
          >
            {show(props.value)} {props.unit}
          </text>
        </g>
      )}
      <text x={LEFT} y={height - 3} fontSize={11} className="fill-soft">
        {show(low)}
      </text>
      <text x={WIDTH - LEFT} y={height - 3} fontSize={11} textAnchor="end" className="fill-soft">
        {show(high)} {props.unit}
      </text>
    </svg>
  );
}
