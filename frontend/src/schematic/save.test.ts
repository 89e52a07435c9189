import { expect, it } from "vitest";
import { standalone } from "./save";

it("a saved map carries its looks and nothing that only the page needs", () => {
  document.body.innerHTML = `
    <style>.way { opacity: 0.4; font-weight: 700 }</style>
    <svg viewBox="0 0 400 300" class="h-full" tabindex="0" role="application" aria-label="map">
      <g data-part="pump" tabindex="-1"><path class="way" d="M0 0 H10" /></g>
      <text class="way">Gear pump 51 cm³ &amp; more</text>
    </svg>`;
  const svg = document.querySelector("svg") as unknown as SVGSVGElement;
  const text = standalone(svg);
  const read = new DOMParser().parseFromString(text, "image/svg+xml");
  expect(read.querySelector("parsererror")).toBeNull();
  const path = read.querySelector("path");
  expect(path?.getAttribute("style")).toContain("opacity:0.4");
  expect(path?.getAttribute("d")).toBe("M0 0 H10");
  expect(text).not.toMatch(/class=|tabindex=|data-part|aria-label/);
  expect(read.querySelector("text")?.textContent).toBe("Gear pump 51 cm³ & more");
  expect(read.documentElement.getAttribute("xmlns")).toBe("http://www.w3.org/2000/svg");
  // The page itself is as it was.
  expect(svg.querySelector("path")?.getAttribute("class")).toBe("way");
});
