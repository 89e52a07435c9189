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
