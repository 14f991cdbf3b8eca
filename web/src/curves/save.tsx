import { Download } from "lucide-react";

import type { Curve, Curves } from "../api/curves";
import { FREQUENCY, type View } from "../plot/frame";
import { pictureOf, svgOf, type Drawn } from "../plot/save";
import { Button } from "../ui/button";
import { fileName, saveAs } from "../ui/files";
import { Menu, MenuItem } from "../ui/menu";
import { symbol } from "../ui/quantity";

interface Props {
  /** What the files are called after. */
  name: string[];
  curves: Curves;
  view: View;
  /** What the strips draw, from top to bottom. */
  strips: () => Drawn[];
}

/** Strips of curves as a picture, curves as a table, an impedance as Touchstone 2.0. */
export function SaveCurves({ name, curves, view, strips }: Props) {
  const answered = curves.curves.filter((curve) => !curve.problem);
  return (
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
      <MenuItem onSelect={() => saveAs(fileName(name, "csv"), table(curves.frequencies, answered))}>
        Save the curves as a table (CSV)
      </MenuItem>
      {answered
        .filter((curve) => curve.unit === "ohm")
        .map((curve) => (
          <MenuItem
            key={curve.formula}
            onSelect={() =>
              saveAs(fileName([...name, curve.formula], "ts"), touchstone(curves.frequencies, curve))
            }
          >
            Save <span className="figures">{curve.formula}</span> as Touchstone 2.0 (one port, Z)
          </MenuItem>
        ))}
    </Menu>
  );
}

/** Real and imaginary part of each curve at each frequency. */
function table(frequencies: number[], curves: Curve[]): Blob {
  const quoted = (text: string) => (/[",]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  const heads = curves.flatMap(({ formula, unit }) => {
    const of = unit && symbol(unit) ? ` (${symbol(unit)})` : "";
    return [`${formula} real${of}`, `${formula} imaginary${of}`];
  });
  const rows = frequencies.map((f, k) => [f, ...curves.flatMap((c) => [c.re[k], c.im[k]])].join(","));
  const lines = [["frequency (Hz)", ...heads].map(quoted).join(","), ...rows];
  return new Blob([`${lines.join("\n")}\n`], { type: "text/csv" });
}

/** A one-port impedance after the Touchstone File Format Specification, version 2.0: Z in ohms, real and imaginary. */
function touchstone(frequencies: number[], { formula, re, im }: Curve): Blob {
  const head = [
    `! ${formula}`,
    "[Version] 2.0",
    "# Hz Z RI R 1",
    "[Number of Ports] 1",
    `[Number of Frequencies] ${frequencies.length}`,
    "[Reference] 1",
    "[Network Data]",
  ];
  const rows = frequencies.map((f, k) => `${f} ${re[k]} ${im[k]}`);
  return new Blob([`${[...head, ...rows, "[End]"].join("\n")}\n`], { type: "text/plain" });
}
