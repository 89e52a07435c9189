import type { PointerEvent } from "react";
import type { Drawing } from "./layout";
import { pathOf } from "./layout";
import type { View } from "./view";

const WIDTH_PX = 168;
const HEIGHT_PX = 130;

interface Props {
  drawing: Drawing;
  view: View;
  onCentre: (x: number, y: number) => void;
}

/** The whole drawing, small, with what is shown of it: pressing somewhere goes there. */
export function Overview({ drawing, view, onCentre }: Props) {
  const scale = Math.max(drawing.width / WIDTH_PX, drawing.height / HEIGHT_PX);
  const go = (event: PointerEvent<SVGSVGElement>) => {
    if (event.buttons === 0) return;
    const box = event.currentTarget.getBoundingClientRect();
    onCentre((event.clientX - box.left) * scale, (event.clientY - box.top) * scale);
  };
  return (
    // It repeats the map, which the keys move: who hears the page needs no second one.
    <svg
      aria-hidden="true"
      data-overview=""
      className="absolute bottom-2 left-2 cursor-crosshair touch-none rounded-md border border-ink/40 bg-card/95"
      width={drawing.width / scale}
      height={drawing.height / scale}
      viewBox={`0 0 ${drawing.width} ${drawing.height}`}
      onPointerDown={go}
      onPointerMove={go}
    >
      {drawing.routes.map((route) => (
        <path
          key={route.edge.id}
          d={pathOf(route)}
          className="fill-none stroke-ink/50"
          strokeWidth={scale}
        />
      ))}
      <rect
        x={view.x}
        y={view.y}
        width={view.width}
        height={view.height}
        className="fill-way/15 stroke-way"
        strokeWidth={2 * scale}
      />
    </svg>
  );
}
