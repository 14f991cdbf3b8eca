import { fileName } from "../ui/files";

/** Pixels of the picture per pixel of the drawing. */
const FINENESS = 2;

/** Saves a supply's drawing as a PNG on paper ground. */
export async function savePicture(supply: string, name: string) {
  const answer = await fetch(`/api/supplies/${supply}/drawing.svg`);
  const source = URL.createObjectURL(await answer.blob());
  const image = new Image();
  image.src = source;
  await image.decode();
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [FINENESS * image.width, FINENESS * image.height];
  const context = canvas.getContext("2d");
  if (!context) return;
  context.fillStyle = "#ffffff";
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.drawImage(image, 0, 0, canvas.width, canvas.height);
  URL.revokeObjectURL(source);
  const link = document.createElement("a");
  link.href = canvas.toDataURL("image/png");
  link.download = fileName([name, "drawing"], "png");
  link.click();
}
