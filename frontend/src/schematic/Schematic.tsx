import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import type { Schematic as SchematicData, SolvedState } from "../api/client";
import { percent } from "../units";
import { BADGE, type GraphNode, LABEL_SIZE, LABEL_STEP, labelLines, UNIT } from "./graph";
import { APART, labelSide, linesWith, NAMED_FROM, overhang } from "./labels";
import {
  type Drawing,
  drawingOf,
  isTyped,
  type Placed,
  pathOf,
  READABLE_PX,
  type Route,
} from "./layout";
import { Overview } from "./Overview";
import { saveAs, standalone } from "./save";
import { formatNet, pressureColour } from "./scale";
import { centreOn, fitView, openingView, pan, type View, zoom } from "./view";

export interface SchematicProps {
  schematic: SchematicData;
  solved: SolvedState | undefined;
  /** Share of the belief on each part, 0 … 1. */
  suspicion: Map<string, number>;
  /** Test point to connect to next. */
  target: string | null;
  /** Parts and nets of a traced way; everything else is faded. */
  lit?: { parts: ReadonlySet<string>; nets: ReadonlySet<string> } | null;
  selected: string | null;
  onSelect: (part: string | null) => void;
}

const FADED = 0.22;
const MOST_NEEDED = 12;

const MOVING_LPM = 0.5;
const LIVE_V = 1;
const TANK = "M3 6v10h20v-10M13 0v12";
const FRAME = "M13 0v9M4 9h18M7.5 13h11M10.5 17h5";

function flowOf(route: Route, solved: SolvedState | undefined): number {
  if (!solved) return 0;
  const flows = [route.edge.source[1], route.edge.target[1]].map((port) =>
    Math.abs(solved.flows_lpm[port] ?? 0),
  );
  return Math.max(...flows);
}

function Line({ route, solved }: { route: Route; solved: SolvedState | undefined }) {
  const net = solved?.nets[route.edge.net];
  if (route.edge.domain === "electrical") {
    const live = Math.abs(net?.value ?? 0) > LIVE_V;
    return (
      <path
        data-line="wire"
        data-live={live || undefined}
        d={pathOf(route)}
        className="fill-none stroke-ink"
        strokeWidth={live ? 2.6 : 1.1}
      />
    );
  }
  if (route.edge.domain !== "hydraulic") {
    return (
      <g data-line="shaft">
        <path d={pathOf(route)} className="fill-none stroke-ink" strokeWidth={5} />
        <path d={pathOf(route)} className="fill-none stroke-paper" strokeWidth={2.4} />
      </g>
    );
  }
  const pilot = route.edge.line !== "working";
  const colour = net ? pressureColour(net.value) : "var(--color-ink)";
  const moving = flowOf(route, solved) > MOVING_LPM;
  return (
    <g data-line={route.edge.line} data-net={route.edge.net}>
      {moving && (
        <path
          d={pathOf(route)}
          className="fill-none"
          stroke={colour}
          strokeOpacity={0.28}
          strokeWidth={9}
          strokeLinejoin="round"
        />
      )}
      <path
        d={pathOf(route)}
        className="fill-none"
        stroke={colour}
        strokeWidth={pilot ? 1.4 : 2.4}
        strokeDasharray={pilot ? "7 3" : undefined}
        strokeLinejoin="round"
      />
    </g>
  );
}

function turnedTransform(node: GraphNode): string {
  const part = node.part;
  if (!part) return "";
  const scale = `scale(${UNIT})`;
  if (!node.turned) return scale;
  return `translate(${part.width * UNIT} ${part.height * UNIT}) rotate(180) ${scale}`;
}

function PartSymbol({
  placed,
  drawing,
  faded,
  share,
  selected,
  onSelect,
}: {
  placed: Placed<GraphNode>;
  drawing: Drawing;
  faded: boolean;
  share: number;
  selected: boolean;
  onSelect: (id: string) => void;
}) {
  const { item, x, y } = placed;
  const part = item.part;
  if (!part) return null;
  const lines = labelLines(part.label);
  const height = part.height * UNIT;
  const suspicious = share >= NAMED_FROM;
  const named = !part.named_on_demand || suspicious || selected;
  const step = isAstride(item) ? LABEL_STEP + 8 : LABEL_STEP;
  const taken = suspicious ? linesWith(part.label, share) : lines.length;
  const added = taken > lines.length;
  const side = labelSide(placed, drawing, taken);
  const textX = side === "right" ? item.symbolWidth + APART : -APART;
  const choose = (event: KeyboardEvent) => {
    if (event.key === "Enter" || event.key === " ") {
      event.preventDefault();
      onSelect(part.id);
    }
  };
  return (
    // biome-ignore lint/a11y/useSemanticElements: a button cannot stand inside SVG
    <g
      transform={`translate(${x} ${y})`}
      role="button"
      // The map is one stop of the Tab key; N and P go from part to part within it.
      tabIndex={-1}
      aria-label={suspicious ? `${part.label} ${percent(share)} suspicion` : part.label}
      aria-pressed={selected}
      data-part={part.id}
      data-faded={faded || undefined}
      opacity={faded ? FADED : 1}
      className="cursor-pointer outline-none [&:focus-visible>rect]:stroke-way"
      onClick={() => onSelect(part.id)}
      onKeyDown={choose}
    >
      <rect
        x={-4}
        y={-3}
        width={item.symbolWidth + 8}
        height={height + 6}
        rx={5}
        fill={suspicious ? "var(--color-suspect)" : "transparent"}
        fillOpacity={suspicious ? 0.12 + 0.5 * Math.sqrt(share) : 0}
        stroke={selected ? "var(--color-way)" : "transparent"}
        strokeWidth={2.5}
      />
      <g transform={turnedTransform(item)}>
        {part.strokes.map((d) => (
          <path
            key={d}
            d={d}
            className="fill-none stroke-ink"
            strokeWidth={1.5 / UNIT}
            strokeLinecap="round"
            strokeLinejoin="round"
          />
        ))}
        {part.dashed.map((d) => (
          <path
            key={d}
            d={d}
            className="fill-none stroke-ink"
            strokeWidth={1.2 / UNIT}
            strokeDasharray={`${4 / UNIT} ${2.5 / UNIT}`}
          />
        ))}
        {part.filled.map((d) => (
          <path key={d} d={d} className="fill-ink" />
        ))}
      </g>
      {named && (
        <text
          x={textX}
          y={labelTop(item, lines.length, added)}
          textAnchor={side === "right" ? "start" : "end"}
          fontSize={LABEL_SIZE}
          className="stroke-paper"
          strokeWidth={4}
          paintOrder="stroke"
        >
          {lines.map((line, i) => (
            <tspan key={line} x={textX} dy={i ? step : 0} className="fill-ink">
              {/* The space keeps the words of two lines apart for who hears them. */}
              {`${line} `}
            </tspan>
          ))}
          {suspicious && (
            <tspan
              {...(added ? { x: textX, dy: lines.length > 1 ? LABEL_STEP : step } : {})}
              className="fill-suspect font-bold"
            >
              {percent(share)}
            </tspan>
          )}
        </text>
      )}
    </g>
  );
}

const leaving = (item: GraphNode) => item.ports.filter((p) => p.side === "east");

/** One line leaves where the label stands: the label's lines stand above and below it. */
const isAstride = (item: GraphNode) => leaving(item).length === 1;

/** First baseline of a part's label. */
function labelTop(item: GraphNode, lines: number, added: boolean): number {
  const [line] = leaving(item);
  if (line && isAstride(item)) return line.y - 8;
  const height = (item.part?.height ?? 0) * UNIT;
  return height / 2 - ((lines - 1) * LABEL_STEP) / 2 + 6 - (added ? 9 : 0);
}

function Marker({
  placed,
  target,
  name,
  net,
}: {
  placed: Placed<GraphNode>;
  target: boolean;
  name: string | undefined;
  net: { value: number; unit: string } | undefined;
}) {
  const { item, x, y } = placed;
  if (item.kind === "junction") {
    return <circle cx={x + 3} cy={y + 3} r={3} className="fill-ink" />;
  }
  if (item.kind === "tank") {
    return (
      <path
        transform={`translate(${x} ${y})`}
        d={item.ports[0]?.domain === "electrical" ? FRAME : TANK}
        className="fill-none stroke-ink"
        strokeWidth={1.5}
      />
    );
  }
  if (item.kind === "shaft") {
    return (
      <g transform={`translate(${x} ${y})`}>
        <circle cx={20} cy={20} r={18} className="fill-card stroke-ink" strokeWidth={1.5} />
        <text
          x={20}
          y={26}
          textAnchor="middle"
          fontSize={LABEL_SIZE}
          className="fill-ink font-semibold"
        >
          M
        </text>
      </g>
    );
  }
  const size = item.symbolWidth / 2;
  return (
    <g
      transform={`translate(${x} ${y})`}
      data-point={item.id.slice(6)}
      aria-label={[
        `Test point ${item.label}`,
        name,
        net && formatNet(net),
        target && "connect here next",
      ]
        .filter(Boolean)
        .join(", ")}
    >
      {target && (
        <circle
          cx={size}
          cy={size}
          r={size + 6}
          className="fill-none stroke-suspect"
          strokeWidth={4}
        />
      )}
      <circle
        cx={size}
        cy={size}
        r={size - 1}
        className={target ? "fill-suspect stroke-suspect" : "fill-card stroke-ink"}
        strokeWidth={1.4}
      />
      <text
        x={size}
        y={size + 6}
        textAnchor="middle"
        fontSize={item.label.length > 2 ? LABEL_SIZE - 3 : LABEL_SIZE}
        className={target ? "fill-white font-bold" : "fill-ink font-semibold"}
      >
        {item.label}
      </text>
      {net !== undefined && (
        <g>
          <rect
            x={2 * size + 3}
            y={size - 13}
            width={BADGE - 6}
            height={26}
            rx={4}
            className="fill-card stroke-line"
          />
          <text
            x={2 * size + BADGE / 2}
            y={size + 6}
            textAnchor="middle"
            fontSize={LABEL_SIZE}
            className="fill-ink"
          >
            {formatNet(net)}
          </text>
        </g>
      )}
    </g>
  );
}

/** The map: the circuit as it is solved, with where to connect next and who is suspected. */
export function Schematic(props: SchematicProps) {
  const { schematic, solved, suspicion, target, selected, onSelect } = props;
  const lit = props.lit ?? null;
  const [drawing, setDrawing] = useState<Drawing | null>(null);
  const [view, setView] = useState<View | null>(null);
  const box = useRef<SVGSVGElement>(null);
  const drag = useRef<{ x: number; y: number; moved: boolean } | null>(null);
  /** The click that ends a drag chooses nothing. */
  const dragged = useRef(false);
  /** Somebody has moved the map. */
  const moved = useRef(false);

  /** What was drawn last: the next drawing of what is being typed keeps its order. */
  const last = useRef<Drawing | null>(null);
  const [anew, setAnew] = useState(0);
  useEffect(() => {
    let current = true;
    // Asked for anew, it is drawn as if it had not been there before.
    void anew;
    void drawingOf(schematic, last.current).then((done) => {
      if (!current) return;
      if (!isTyped(schematic)) moved.current = false;
      last.current = done;
      setDrawing(done);
    });
    return () => {
      current = false;
    };
  }, [schematic, anew]);
  const tidy = () => {
    last.current = null;
    moved.current = false;
    setAnew(anew + 1);
  };

  /** What the part at hand is about, the most important first: point, traced way, suspects. */
  const needed = [
    ...(target ? [`point:${target}`] : []),
    ...(lit ? [...lit.parts].sort() : []),
    ...[...suspicion].sort((a, b) => b[1] - a[1]).map(([part]) => part),
  ];
  const about = JSON.stringify(needed.slice(0, MOST_NEEDED));

  const reach = drawing ? overhang(drawing, suspicion) : 0;
  // The map opens on what is needed, and goes there again with the next step or way; once somebody
  // has moved it, it stays where it was put.
  useEffect(() => {
    const size = box.current?.getBoundingClientRect();
    if (!drawing || moved.current) return;
    const nodes = new Map(drawing.nodes.map((n) => [n.item.id, n]));
    const boxes = (JSON.parse(about) as string[]).flatMap((id) => {
      const node = nodes.get(id);
      return node
        ? [{ x: node.x, y: node.y, width: node.item.width, height: node.item.height }]
        : [];
    });
    const [width, height] = [size?.width || 800, size?.height || 600];
    const widest = (width * LABEL_SIZE) / READABLE_PX;
    const all = drawing.width + reach;
    setView(openingView(all, drawing.height, width, height, widest, boxes));
  }, [drawing, about, reach]);

  const shown = view ?? { x: 0, y: 0, width: 800, height: 600 };
  const scale = () => shown.width / (box.current?.getBoundingClientRect().width ?? 800);
  const middle = { x: shown.x + shown.width / 2, y: shown.y + shown.height / 2 };

  // React listens to the wheel passively, which cannot keep the page from scrolling.
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      const rect = element.getBoundingClientRect();
      moved.current = true;
      setView((v) => {
        if (!v) return v;
        const cx = v.x + ((event.clientX - rect.left) / rect.width) * v.width;
        const cy = v.y + ((event.clientY - rect.top) / rect.height) * v.height;
        return zoom(v, event.deltaY < 0 ? 1.15 : 1 / 1.15, cx, cy);
      });
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, []);

  const move = (to: View) => {
    moved.current = true;
    setView(to);
  };
  const whole = () => {
    const size = box.current?.getBoundingClientRect();
    if (drawing && size)
      move(fitView(drawing.width + reach, drawing.height, size.width, size.height));
  };
  const zoomBy = (factor: number) => move(zoom(shown, factor, middle.x, middle.y));

  const focusPart = (by: 1 | -1) => {
    const parts = [...(box.current?.querySelectorAll<SVGGElement>("[data-part]") ?? [])];
    const at = parts.indexOf(document.activeElement as SVGGElement);
    const next = at < 0 ? (by > 0 ? 0 : parts.length - 1) : (at + by + parts.length) % parts.length;
    dragged.current = false;
    parts[next]?.focus();
  };

  const onKey = (event: KeyboardEvent) => {
    const step = shown.width / 12;
    const actions: Record<string, () => void> = {
      "+": () => zoomBy(1.25),
      "=": () => zoomBy(1.25),
      "-": () => zoomBy(0.8),
      "0": whole,
      ArrowLeft: () => move(pan(shown, -step, 0)),
      ArrowRight: () => move(pan(shown, step, 0)),
      ArrowUp: () => move(pan(shown, 0, -step)),
      ArrowDown: () => move(pan(shown, 0, step)),
      n: () => focusPart(1),
      p: () => focusPart(-1),
    };
    const action = actions[event.key];
    if (action) {
      event.preventDefault();
      action();
    }
  };

  const onDown = (event: PointerEvent) => {
    drag.current = { x: event.clientX, y: event.clientY, moved: false };
    dragged.current = false;
  };
  const onMove = (event: PointerEvent) => {
    const from = drag.current;
    if (!from || event.buttons === 0) return;
    const dx = event.clientX - from.x;
    const dy = event.clientY - from.y;
    if (!from.moved && Math.hypot(dx, dy) < 5) return;
    drag.current = { x: event.clientX, y: event.clientY, moved: true };
    dragged.current = true;
    move(pan(shown, -dx * scale(), -dy * scale()));
  };
  const onUp = () => {
    drag.current = null;
  };

  const showPoint = () => {
    const placed = drawing?.nodes.find((n) => n.item.id === `point:${target}`);
    if (placed) {
      const near = zoom(shown, shown.width / 620, middle.x, middle.y);
      move(centreOn(near, placed.x + 20, placed.y + 20));
    }
  };

  const save = () => {
    if (box.current)
      saveAs(`${schematic.circuit_id}.svg`, standalone(box.current), "image/svg+xml");
  };

  const nameOfPoint = new Map(schematic.test_points.map((p) => [`point:${p.id}`, p.label]));
  const netOfPoint = new Map(schematic.test_points.map((p) => [`point:${p.id}`, p.net]));
  return (
    <div className="relative h-full w-full overflow-hidden bg-paper">
      <svg
        ref={box}
        role="application"
        aria-label={`Schematic of ${schematic.name}; arrows move, plus and minus zoom, 0 shows all, N and P go from part to part`}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the map is panned and zoomed by keyboard
        tabIndex={0}
        className="h-full w-full touch-none select-none"
        viewBox={`${shown.x} ${shown.y} ${shown.width} ${shown.height}`}
        onKeyDown={onKey}
        onPointerDown={onDown}
        onPointerMove={onMove}
        onPointerUp={onUp}
        onPointerLeave={onUp}
      >
        {drawing?.routes.map((route) => (
          <g key={route.edge.id} opacity={!lit || lit.nets.has(route.edge.net) ? 1 : FADED}>
            <Line route={route} solved={solved} />
          </g>
        ))}
        {drawing?.nodes.map((placed) =>
          placed.item.kind === "part" ? (
            <PartSymbol
              key={placed.item.id}
              placed={placed}
              drawing={drawing}
              faded={lit !== null && !lit.parts.has(placed.item.id)}
              share={suspicion.get(placed.item.id) ?? 0}
              selected={selected === placed.item.id}
              onSelect={(id) => {
                if (!dragged.current) onSelect(selected === id ? null : id);
              }}
            />
          ) : (
            <Marker
              key={placed.item.id}
              placed={placed}
              target={placed.item.id === `point:${target}`}
              name={nameOfPoint.get(placed.item.id)}
              net={solved?.nets[netOfPoint.get(placed.item.id) ?? ""]}
            />
          ),
        )}
      </svg>
      {drawing && view && (shown.width < drawing.width || shown.height < drawing.height) && (
        <Overview drawing={drawing} view={shown} onCentre={(x, y) => move(centreOn(shown, x, y))} />
      )}
      {!drawing && (
        <p className="absolute inset-0 grid place-items-center">Drawing the circuit …</p>
      )}
      <div className="absolute right-2 bottom-2 flex gap-1.5">
        {target && (
          <button type="button" className={TOOL} onClick={showPoint}>
            Where?
          </button>
        )}
        {isTyped(schematic) && (
          <button type="button" className={TOOL} onClick={tidy}>
            Tidy
          </button>
        )}
        <button type="button" className={TOOL} aria-label="Save what is seen as SVG" onClick={save}>
          SVG
        </button>
        <button type="button" className={TOOL} aria-label="Zoom out" onClick={() => zoomBy(0.8)}>
          −
        </button>
        <button type="button" className={TOOL} aria-label="Zoom in" onClick={() => zoomBy(1.25)}>
          +
        </button>
        <button type="button" className={TOOL} onClick={whole}>
          All
        </button>
      </div>
    </div>
  );
}

const TOOL =
  "min-h-11 min-w-11 rounded-md border border-ink/40 bg-card px-3 font-semibold active:bg-line";
