/** How a line, a text or an area looks; colours are names of the theme. */
export interface Ink {
  colour: string;
  opacity?: number;
  width?: number;
  dash?: number[];
}

export interface Lettering {
  colour: string;
  align?: "left" | "center" | "right";
  /** For names rather than figures. */
  bold?: boolean;
}

/** What a plot is drawn with, on screen or in a file. Coordinates are pixels; a line breaks where one is no number. */
export interface Pen {
  line(xs: ArrayLike<number>, ys: ArrayLike<number>, ink: Ink): void;
  area(x: number, y: number, width: number, height: number, ink: Ink): void;
  dots(xs: ArrayLike<number>, ys: ArrayLike<number>, ink: Ink): void;
  text(words: string, x: number, y: number, lettering: Lettering): void;
  /** Draws within a box only. */
  within(x: number, y: number, width: number, height: number, draw: () => void): void;
}

export type Draw = (pen: Pen) => void;

const colours = new Map<string, string>();
window.addEventListener("themechange", () => colours.clear());

/** A colour of the theme by its name; asked of the page once, as that makes it work its styles out. */
function look(name: string): string {
  const known = colours.get(name);
  if (known) return known;
  const found = getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  colours.set(name, found);
  return found;
}

const FIGURES = { size: 11, family: '"Atkinson Hyperlegible Mono", monospace', weight: 400 };
const NAMES = { size: 12, family: '"Atkinson Hyperlegible Next", sans-serif', weight: 600 };
const DOT = 1.8;

export function canvasPen(context: CanvasRenderingContext2D): Pen {
  const prepare = ({ colour, opacity = 1, width = 1, dash = [] }: Ink) => {
    context.globalAlpha = opacity;
    context.strokeStyle = context.fillStyle = look(colour);
    context.lineWidth = width;
    // A mitre would draw a peak higher than it is.
    context.lineJoin = "round";
    context.setLineDash(dash);
  };
  return {
    line(xs, ys, ink) {
      prepare(ink);
      context.beginPath();
      let broken = true;
      for (let k = 0; k < xs.length; k += 1) {
        const [x, y] = [xs[k] ?? NaN, ys[k] ?? NaN];
        if (Number.isNaN(x + y)) broken = true;
        else if (broken) {
          context.moveTo(x, y);
          broken = false;
        } else context.lineTo(x, y);
      }
      context.stroke();
    },
    area(x, y, width, height, ink) {
      prepare(ink);
      context.fillRect(x, y, width, height);
    },
    dots(xs, ys, ink) {
      prepare(ink);
      context.beginPath();
      for (let k = 0; k < xs.length; k += 1) {
        const [x, y] = [xs[k] ?? NaN, ys[k] ?? NaN];
        if (Number.isNaN(x + y)) continue;
        context.moveTo(x + DOT, y);
        context.arc(x, y, DOT, 0, 2 * Math.PI);
      }
      context.fill();
    },
    text(words, x, y, { colour, align = "left", bold }) {
      const { size, family, weight } = bold ? NAMES : FIGURES;
      prepare({ colour });
      context.font = `${weight} ${size}px ${family}`;
      context.textAlign = align;
      context.textBaseline = "middle";
      context.fillText(words, x, y);
    },
    within(x, y, width, height, draw) {
      context.save();
      context.beginPath();
      context.rect(x, y, width, height);
      context.clip();
      draw();
      context.restore();
    },
  };
}

/** Writes an SVG file, element by element. */
export class SvgPen implements Pen {
  private elements: string[] = [];
  private clips = 0;

  line(xs: ArrayLike<number>, ys: ArrayLike<number>, ink: Ink) {
    const path: string[] = [];
    let broken = true;
    for (let k = 0; k < xs.length; k += 1) {
      const [x, y] = [xs[k] ?? NaN, ys[k] ?? NaN];
      if (Number.isNaN(x + y)) broken = true;
      else {
        path.push(`${broken ? "M" : "L"}${round(x)} ${round(y)}`);
        broken = false;
      }
    }
    if (path.length > 0) this.put("path", { d: path.join(""), fill: "none", ...stroked(ink) });
  }

  area(x: number, y: number, width: number, height: number, ink: Ink) {
    if (!(width > 0 && height > 0)) return;
    const box = { x: round(x), y: round(y), width: round(width), height: round(height) };
    this.put("rect", { ...box, ...filled(ink) });
  }

  dots(xs: ArrayLike<number>, ys: ArrayLike<number>, ink: Ink) {
    for (let k = 0; k < xs.length; k += 1) {
      const [x, y] = [xs[k] ?? NaN, ys[k] ?? NaN];
      if (!Number.isNaN(x + y)) this.put("circle", { cx: round(x), cy: round(y), r: DOT, ...filled(ink) });
    }
  }

  text(words: string, x: number, y: number, { colour, align = "left", bold }: Lettering) {
    const { size, family, weight } = bold ? NAMES : FIGURES;
    const anchor = { left: "start", center: "middle", right: "end" }[align];
    const type = { "font-family": family, "font-size": size, "font-weight": weight, "text-anchor": anchor };
    this.put("text", { x: round(x), y: round(y), dy: "0.35em", fill: look(colour), ...type }, words);
  }

  within(x: number, y: number, width: number, height: number, draw: () => void) {
    this.clips += 1;
    const id = `within-${this.clips}`;
    this.elements.push(
      `<clipPath id="${id}"><rect x="${x}" y="${y}" width="${width}" height="${height}"/></clipPath><g clip-path="url(#${id})">`,
    );
    draw();
    this.elements.push("</g>");
  }

  /** What is drawn meanwhile stands lower by so much. */
  lower(by: number, draw: () => void) {
    this.elements.push(`<g transform="translate(0 ${round(by)})">`);
    draw();
    this.elements.push("</g>");
  }

  file(width: number, height: number): string {
    const size = `width="${width}" height="${height}" viewBox="0 0 ${width} ${height}"`;
    return `<svg xmlns="http://www.w3.org/2000/svg" ${size}>\n${this.elements.join("\n")}\n</svg>\n`;
  }

  private put(name: string, attributes: Record<string, string | number>, words?: string) {
    const said = Object.entries(attributes).map(([key, value]) => `${key}="${escaped(String(value))}"`);
    this.elements.push(
      `<${name} ${said.join(" ")}${words === undefined ? "/>" : `>${escaped(words)}</${name}>`}`,
    );
  }
}

function round(value: number): number {
  return Math.round(100 * value) / 100;
}

function stroked({ colour, opacity = 1, width = 1, dash = [] }: Ink): Record<string, string | number> {
  const dashed: Record<string, string> = dash.length > 0 ? { "stroke-dasharray": dash.join(" ") } : {};
  return {
    stroke: look(colour),
    "stroke-opacity": opacity,
    "stroke-width": width,
    "stroke-linejoin": "round",
    ...dashed,
  };
}

function filled({ colour, opacity = 1 }: Ink): Record<string, string | number> {
  return { fill: look(colour), "fill-opacity": opacity };
}

function escaped(text: string): string {
  return text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll('"', "&quot;");
}
