import { look, timeTicks, type View } from "./draw";

/** Room beneath the strips for the labels of the time axis, px. */
const AXIS = 20;

/** The strips as they stand, one above the other, with their time axis, on the ground they are drawn on. */
export function pictureOf(strips: HTMLCanvasElement[], view: View): HTMLCanvasElement | undefined {
  const ratio = window.devicePixelRatio || 1;
  const picture = document.createElement("canvas");
  const heights = strips.map((strip) => strip.height);
  picture.width = Math.max(0, ...strips.map((strip) => strip.width));
  picture.height = heights.reduce((sum, height) => sum + height, 0) + AXIS * ratio;
  const context = picture.getContext("2d");
  if (!context || picture.width === 0) return undefined;
  context.fillStyle = look("--ground");
  context.fillRect(0, 0, picture.width, picture.height);
  let y = 0;
  strips.forEach((strip, k) => {
    context.drawImage(strip, 0, y);
    y += heights[k] ?? 0;
  });
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.font = '11px "Atkinson Hyperlegible Mono", monospace';
  context.fillStyle = look("--muted");
  context.textAlign = "center";
  for (const tick of timeTicks(view, picture.width / ratio))
    context.fillText(tick.label, tick.x, y / ratio + 13);
  return picture;
}

/** Lets the user save what a link leads to. */
export function saveAs(name: string, content: Blob) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}
