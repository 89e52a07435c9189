import { percent } from "../units";
import { type GraphNode, LABEL_STEP, labelLines, labelWidth } from "./graph";
import type { Drawing, Placed } from "./layout";

/** Between a symbol and its label. */
export const APART = 7;
/** Share of the belief from which a part is named whatever its kind. */
export const NAMED_FROM = 0.01;

interface Box {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/** Whether a share stands in the last line of a label, or needs one of its own below it. */
function shareFits(lines: readonly string[], words: string): boolean {
  const last = lines.at(-1) ?? "";
  // Digits and spaces are narrow: one character more than the widest line takes no more room.
  return `${last} ${words}`.length <= Math.max(...lines.map((line) => line.length)) + 1;
}

/** Lines that a label takes with its share. */
export function linesWith(label: string, share: number): number {
  const lines = labelLines(label);
  return lines.length + (shareFits(lines, percent(share)) ? 0 : 1);
}

/** How far labels that were given no room, of the parts that are named now, reach past the drawing. */
export function overhang(
  drawing: Pick<Drawing, "width" | "nodes">,
  named: ReadonlyMap<string, number>,
): number {
  const ends = drawing.nodes.flatMap((n) => {
    const part = n.item.part;
    const share = (part && named.get(part.id)) ?? 0;
    if (!part?.named_on_demand || share < NAMED_FROM) return [];
    if (labelSide(n, drawing, linesWith(part.label, share)) === "left") return [];
    return [n.x + n.item.symbolWidth + APART + labelWidth(part.label)];
  });
  return Math.max(0, ...ends.map((end) => end - drawing.width));
}

const hit = (a: Box, b: Box) =>
  a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;

/**
 * On which side of its symbol a label stands that was given no room: to the right as all others,
 * or to the left where something else stands there, or the drawing ends.
 */
export function labelSide(
  placed: Placed<GraphNode>,
  drawing: Pick<Drawing, "width" | "nodes">,
  lines: number,
): "right" | "left" {
  const { item, x, y } = placed;
  if (!item.part?.named_on_demand) return "right";
  const width = labelWidth(item.part.label);
  const middle = y + (item.part.height * item.symbolWidth) / item.part.width / 2;
  const top = middle - (lines * LABEL_STEP) / 2;
  const beside = (left: number): Box => ({
    left,
    top,
    right: left + width,
    bottom: top + lines * LABEL_STEP,
  });
  const free = (box: Box) =>
    box.left >= 0 &&
    box.right <= drawing.width &&
    !drawing.nodes.some(
      (n) =>
        n.item.id !== item.id &&
        hit(box, {
          left: n.x,
          top: n.y,
          right: n.x + n.item.symbolWidth,
          bottom: n.y + n.item.height,
        }),
    );
  if (free(beside(x + item.symbolWidth + APART))) return "right";
  return free(beside(x - APART - width)) ? "left" : "right";
}
