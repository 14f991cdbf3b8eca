import { scale, type Box, type DrawingShown, type View } from "./view";

export type Lettering = DrawingShown["lettering"][number];
export type PlacedText = Exclude<Lettering["parts"][number], null | undefined>;

/** Height of the smallest text, the names of nets, in grid squares, and what it has at least on the screen, px. */
const NAME = 1.05;
const READABLE = 8;

/** Whether texts of a size can be read where so much of a drawing is shown in a box. */
function readable(size: number, view: View, box: Box): boolean {
  return NAME * size * scale(view, box) >= READABLE;
}

/** The lettering with which texts can be read where so much of a drawing is shown; none where they can be as they
 * are. Larger texts need more room around the drawing: `around` says what is shown with it. */
export function letteringFor(
  drawing: DrawingShown,
  box: Box | undefined,
  around: (drawn: Pick<DrawingShown, "from" | "to">) => View,
): Lettering | undefined {
  if (!box || readable(1, around(drawing), box)) return undefined;
  return (
    drawing.lettering.find((lettering) => readable(lettering.size, around(lettering), box)) ??
    drawing.lettering.at(-1)
  );
}
