/** The part of the drawing that is shown: pure geometry, no React. */
export interface View {
  x: number;
  y: number;
  width: number;
  height: number;
}

export function fitView(width: number, height: number, boxWidth: number, boxHeight: number): View {
  const margin = 14;
  const scale = Math.max(
    (width + 2 * margin) / Math.max(boxWidth, 1),
    (height + 2 * margin) / Math.max(boxHeight, 1),
  );
  const w = boxWidth * scale;
  const h = boxHeight * scale;
  return { x: (width - w) / 2, y: (height - h) / 2, width: w, height: h };
}

/** Zoom by `factor` (> 1 shows less) about a point of the drawing. */
export function zoom(view: View, factor: number, cx: number, cy: number): View {
  const f = 1 / factor;
  return {
    x: cx - (cx - view.x) * f,
    y: cy - (cy - view.y) * f,
    width: view.width * f,
    height: view.height * f,
  };
}

export function pan(view: View, dx: number, dy: number): View {
  return { ...view, x: view.x + dx, y: view.y + dy };
}

/** Move and zoom so that a point stands in the middle at a readable size. */
export function centreOn(view: View, x: number, y: number): View {
  return { ...view, x: x - view.width / 2, y: y - view.height / 2 };
}

export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** The box around some boxes; nothing around none. */
export function around(boxes: readonly Box[]): Box | null {
  if (!boxes.length) return null;
  const x = Math.min(...boxes.map((b) => b.x));
  const y = Math.min(...boxes.map((b) => b.y));
  const width = Math.max(...boxes.map((b) => b.x + b.width)) - x;
  const height = Math.max(...boxes.map((b) => b.y + b.height)) - y;
  return { x, y, width, height };
}

function clamped(at: number, shown: number, whole: number): number {
  const margin = 14;
  if (shown >= whole + 2 * margin) return (whole - shown) / 2;
  return Math.min(Math.max(at, -margin), whole + margin - shown);
}

/**
 * What a drawing opens on: all of it where that can be read, and else what is needed, readable.
 *
 * `needed` are boxes, the most important first: as many of them as fit are in view.
 */
export function openingView(
  width: number,
  height: number,
  boxWidth: number,
  boxHeight: number,
  widest: number,
  needed: readonly Box[],
): View {
  const whole = fitView(width, height, boxWidth, boxHeight);
  if (whole.width <= widest) return whole;
  const shown = { width: widest, height: (widest * boxHeight) / Math.max(boxWidth, 1) };
  let focus: Box | null = null;
  for (let count = needed.length; count > 0; count--) {
    const box = around(needed.slice(0, count));
    if (!box) break;
    focus = box;
    if (box.width <= shown.width && box.height <= shown.height) break;
  }
  const cx = focus ? focus.x + focus.width / 2 : width / 2;
  const cy = focus ? focus.y + focus.height / 2 : height / 2;
  return {
    x: clamped(cx - shown.width / 2, shown.width, width),
    y: clamped(cy - shown.height / 2, shown.height, height),
    ...shown,
  };
}
