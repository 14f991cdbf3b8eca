import { TIME, type Axis, type Size, type View } from "./frame";
import { SvgPen, type Draw, type Pen } from "./pen";
import { painted } from "./plot";

/** Room beneath the strips for the labels of the time axis, px. */
const AXIS = 20;

/** A strip to be put into a picture. */
export interface Drawn {
  size: Size;
  draw: Draw;
}

function total(strips: Drawn[]): Size {
  const height = strips.reduce((sum, strip) => sum + strip.size.height, 0) + AXIS;
  return { width: Math.max(0, ...strips.map((strip) => strip.size.width)), height };
}

function axis(pen: Pen, along: Axis, view: View, { width, height }: Size) {
  for (const tick of along.ticks(view, width))
    pen.text(tick.label, tick.x, height - AXIS + 9, { colour: "--muted", align: "center" });
}

/** The strips as they stand, one above the other, with their axis, on the ground they are drawn on. */
export function pictureOf(strips: Drawn[], view: View, along = TIME): HTMLCanvasElement | undefined {
  const size = total(strips);
  if (size.width === 0) return undefined;
  const picture = document.createElement("canvas");
  painted(picture, size, (pen) => {
    pen.area(0, 0, size.width, size.height, { colour: "--ground" });
    axis(pen, along, view, size);
  });
  const context = picture.getContext("2d");
  let y = 0;
  for (const strip of strips) {
    const one = document.createElement("canvas");
    painted(one, strip.size, strip.draw);
    context?.setTransform(1, 0, 0, 1, 0, 0);
    context?.drawImage(one, 0, Math.round((y * picture.height) / size.height));
    y += strip.size.height;
  }
  return picture;
}

/** The same as an SVG file. */
export function svgOf(strips: Drawn[], view: View, along = TIME): Blob | undefined {
  const size = total(strips);
  if (size.width === 0) return undefined;
  const pen = new SvgPen();
  pen.area(0, 0, size.width, size.height, { colour: "--ground" });
  let y = 0;
  for (const strip of strips) {
    pen.lower(y, () => strip.draw(pen));
    y += strip.size.height;
  }
  axis(pen, along, view, size);
  return new Blob([pen.file(size.width, size.height)], { type: "image/svg+xml" });
}
