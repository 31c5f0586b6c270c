// Saving a drawing as it looks: as SVG with its styles written out, or as PNG painted from that.
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import type { RefObject } from "react";

const KEPT = ["fill", "fill-opacity", "stroke", "stroke-width", "stroke-opacity", "stroke-dasharray", "opacity", "font-family", "font-size", "font-weight", "text-anchor", "paint-order", "color"];
const SCALE = 2;

export function SavePicture({ within, name }: { within: RefObject<HTMLElement | null>; name: string }) {
  const drawing = () => within.current?.querySelector("svg[role]") as SVGSVGElement | null;
  const file = name.replaceAll(/[^\w.-]+/g, "-");
  return (
    <Stack direction="row" sx={{ gap: 0.5 }} className="not-printed">
      <Button size="small" onClick={() => withDrawing(drawing(), (text) => save(new Blob([text], { type: "image/svg+xml" }), `${file}.svg`))}>
        Save as SVG
      </Button>
      <Button size="small" onClick={() => withDrawing(drawing(), (text, svg) => void painted(text, svg).then((blob) => save(blob, `${file}.png`)))}>
        Save as PNG
      </Button>
    </Stack>
  );
}

function withDrawing(svg: SVGSVGElement | null, use: (text: string, svg: SVGSVGElement) => void): void {
  if (svg) use(standalone(svg), svg);
}

/** The drawing as a document of its own: what style sheets gave it is written into it. */
function standalone(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const sources = [svg, ...svg.querySelectorAll("*")];
  const targets = [copy, ...copy.querySelectorAll("*")];
  sources.forEach((source, n) => {
    const styles = getComputedStyle(source);
    const target = targets[n] as SVGElement;
    target.removeAttribute("class");
    for (const property of KEPT) {
      const value = styles.getPropertyValue(property);
      // A pattern is named with the page's address in computed styles: the attribute has it as it was written.
      if (value && !value.includes("url(")) target.setAttribute(property, value);
    }
  });
  const { width, height } = svg.getBoundingClientRect();
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(Math.round(width)));
  copy.setAttribute("height", String(Math.round(height)));
  const ground = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  ground.setAttribute("width", "100%");
  ground.setAttribute("height", "100%");
  ground.setAttribute("fill", getComputedStyle(document.body).backgroundColor);
  copy.insertBefore(ground, copy.firstChild);
  return new XMLSerializer().serializeToString(copy);
}

async function painted(text: string, svg: SVGSVGElement): Promise<Blob> {
  const { width, height } = svg.getBoundingClientRect();
  const image = new Image();
  const url = URL.createObjectURL(new Blob([text], { type: "image/svg+xml" }));
  try {
    await new Promise((done, failed) => {
      image.onload = done;
      image.onerror = failed;
      image.src = url;
    });
    const canvas = document.createElement("canvas");
    canvas.width = Math.round(width * SCALE);
    canvas.height = Math.round(height * SCALE);
    canvas.getContext("2d")!.drawImage(image, 0, 0, canvas.width, canvas.height);
    return await new Promise<Blob>((done, failed) => canvas.toBlob((blob) => (blob ? done(blob) : failed(new Error("no picture"))), "image/png"));
  } finally {
    URL.revokeObjectURL(url);
  }
}

function save(blob: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
