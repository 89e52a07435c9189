/** The map as a file of its own: what is seen, with its colours and letters, and nothing to tap. */

const KEPT = [
  "fill",
  "stroke",
  "stroke-width",
  "stroke-dasharray",
  "stroke-linecap",
  "stroke-linejoin",
  "paint-order",
  "opacity",
  "font-family",
  "font-size",
  "font-weight",
  "text-anchor",
  "dominant-baseline",
] as const;

/** SVG text that looks alone as it does on the page: the page's styles are written into it. */
export function standalone(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const from = [svg, ...svg.querySelectorAll("*")];
  const to = [copy, ...copy.querySelectorAll("*")];
  from.forEach((element, i) => {
    const target = to[i];
    if (!target) return;
    const style = getComputedStyle(element);
    for (const name of [...target.attributes].map((a) => a.name))
      if (/^(class|style|role|tabindex|aria-|data-)/.test(name)) target.removeAttribute(name);
    const told = KEPT.map((name) => [name, style.getPropertyValue(name)] as const);
    target.setAttribute(
      "style",
      told.flatMap(([name, value]) => (value ? [`${name}:${value}`] : [])).join(";"),
    );
  });
  const box = svg.viewBox?.baseVal;
  if (box?.width) {
    copy.setAttribute("width", String(Math.round(box.width)));
    copy.setAttribute("height", String(Math.round(box.height)));
  }
  return new XMLSerializer().serializeToString(copy);
}

/** Hand a text to the browser as a file to keep. */
export function saveAs(name: string, text: string, type: string): void {
  const url = URL.createObjectURL(new Blob([text], { type }));
  const link = document.createElement("a");
  link.href = url;
  link.download = name;
  link.click();
  URL.revokeObjectURL(url);
}
