import { Download } from "lucide-react";

import { useState } from "react";

import type { Run } from "../api/client";
import { fileOfCurves, type Curves } from "../api/curves";
import { FREQUENCY, type View } from "../plot/frame";
import { pictureOf, svgOf, type Drawn } from "../plot/save";
import { Button } from "../ui/button";
import { fileName, saveAs } from "../ui/files";
import { Menu, MenuItem } from "../ui/menu";

interface Props {
  run: Run;
  /** What the files are called after. */
  name: string[];
  curves: Curves;
  view: View;
  /** What the strips draw, from top to bottom. */
  strips: () => Drawn[];
}

/** Strips of curves as a picture, curves as a table, an impedance as Touchstone 2.0. */
export function SaveCurves({ run, name, curves, view, strips }: Props) {
  const [problem, setProblem] = useState<string>();
  const save = async (formulas: string[], format: "csv" | "touchstone", ending: string) => {
    setProblem(undefined);
    const file = await fileOfCurves(run, { formulas, format });
    if (typeof file === "string") setProblem(file);
    else saveAs(fileName(format === "touchstone" ? [...name, ...formulas] : name, ending), file);
  };
  const answered = curves.curves.filter((curve) => !curve.problem);
  return (
    <>
      {problem && (
        <span role="alert" className="truncate text-missed" title={problem}>
          {problem}
        </span>
      )}
      <Menu
        trigger={
          <Button
            look="quiet"
            className="h-6 px-1 text-xs"
            aria-label="Save or copy the strips"
            title="Save or copy the strips"
          >
            <Download size={13} />
          </Button>
        }
      >
        <MenuItem
          onSelect={() =>
            pictureOf(strips(), view, FREQUENCY)?.toBlob(
              (blob) => blob && saveAs(fileName(name, "png"), blob),
              "image/png",
            )
          }
        >
          Save as a picture (PNG)
        </MenuItem>
        <MenuItem
          onSelect={() => {
            const drawing = svgOf(strips(), view, FREQUENCY);
            if (drawing) saveAs(fileName(name, "svg"), drawing);
          }}
        >
          Save as a drawing (SVG)
        </MenuItem>
        <MenuItem
          onSelect={() =>
            void save(
              answered.map((curve) => curve.formula),
              "csv",
              "csv",
            )
          }
        >
          Save the curves as a table (CSV)
        </MenuItem>
        {answered
          .filter((curve) => curve.unit === "ohm")
          .map((curve) => (
            <MenuItem key={curve.formula} onSelect={() => void save([curve.formula], "touchstone", "ts")}>
              Save <span className="figures">{curve.formula}</span> as Touchstone 2.0 (one port, Z)
            </MenuItem>
          ))}
      </Menu>
    </>
  );
}
