import { Download } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";

import { type Run } from "../api/client";
import { tableOfTraces } from "../api/traces";
import type { View } from "../plot/frame";
import { pictureOf, svgOf, type Drawn } from "../plot/save";
import { Button } from "../ui/button";
import { fileName, saveAs } from "../ui/files";
import { ITEM, Menu, MenuItem } from "../ui/menu";
import { show } from "../ui/quantity";

interface Props {
  run: Run;
  /** What the files are called after. */
  name: string[];
  signals: string[];
  view: View;
  span?: View;
  /** What the strips draw, from top to bottom. */
  strips: () => Drawn[];
  onImport: () => void;
}

const ALL = "all traces";
const ENDINGS = { csv: "csv", arrow: "arrow", parquet: "parquet", comtrade: "cff" } as const;
/** Samples of a resampled table, about. */
const SAMPLES = 10_000;

/** Strips as a picture, traces as a table. */
export function SaveMenu({ run, name, signals, view, span, strips, onImport }: Props) {
  const [problem, setProblem] = useState<string>();
  const [chosen, setOnly] = useState(ALL);
  const only = signals.includes(chosen) ? chosen : ALL;
  const picture = (then: (blob: Blob) => unknown) => {
    setProblem(undefined);
    const drawn = pictureOf(strips(), view);
    drawn?.toBlob((blob) => blob && void then(blob), "image/png");
  };
  const copy = async (blob: Blob) => {
    try {
      await navigator.clipboard.write([new ClipboardItem({ "image/png": blob })]);
    } catch {
      setProblem("The browser does not let pictures be copied here; save it instead.");
    }
  };
  const copyDrawing = async () => {
    setProblem(undefined);
    const drawing = svgOf(strips(), view);
    try {
      if (drawing) await navigator.clipboard.writeText(await drawing.text());
    } catch {
      setProblem("The browser does not let anything be copied here; save it instead.");
    }
  };
  const table = async ({ from, to }: View, format: keyof typeof ENDINGS, rate?: number) => {
    setProblem(undefined);
    const found = await tableOfTraces(run, {
      signals: only === ALL ? signals : [only],
      from,
      to,
      format,
      rate: rate ?? null,
    });
    if (typeof found === "string") setProblem(found);
    else {
      const stretch = `${show(from, "second", 4)} to ${show(to, "second", 4)}`;
      const words = [...name, only !== ALL && only, stretch, rate && `at ${show(rate, "hertz", 3)}`];
      saveAs(fileName(words, ENDINGS[format]), found);
    }
  };
  const shown = span ?? view;
  const what = span ? "the span" : "what is shown";
  // As many samples as a plot of it could show, rounded to a rate one can say.
  const rate = Number((SAMPLES / (shown.to - shown.from)).toPrecision(1));
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
        <MenuItem onSelect={() => picture((blob) => saveAs(fileName(name, "png"), blob))}>
          Save as a picture (PNG)
        </MenuItem>
        <MenuItem
          onSelect={() => {
            const drawing = svgOf(strips(), view);
            if (drawing) saveAs(fileName(name, "svg"), drawing);
          }}
        >
          Save as a drawing (SVG)
        </MenuItem>
        <MenuItem onSelect={() => picture(copy)}>Copy the picture</MenuItem>
        <MenuItem onSelect={() => void copyDrawing()}>Copy the drawing (SVG)</MenuItem>
        {signals.length > 1 && (
          <DropdownMenu.RadioGroup value={only} onValueChange={setOnly} aria-label="Traces in a table">
            <DropdownMenu.Label className="mt-1 border-t border-hairline px-2 pt-1 text-xs text-muted">
              In a table
            </DropdownMenu.Label>
            <span className="flex max-w-96 flex-wrap gap-1 px-2 pb-1">
              {[ALL, ...signals].map((signal) => (
                <DropdownMenu.RadioItem
                  key={signal}
                  value={signal}
                  onSelect={(event) => event.preventDefault()}
                  className={`${ITEM} border border-hairline px-1.5 py-0 text-xs data-[state=checked]:border-copper data-[state=checked]:text-copper ${signal === ALL ? "" : "figures"}`}
                >
                  {signal}
                </DropdownMenu.RadioItem>
              ))}
            </span>
          </DropdownMenu.RadioGroup>
        )}
        <MenuItem onSelect={() => void table(view, "csv")}>
          Save what is shown as a table (CSV, every node)
        </MenuItem>
        {span && (
          <MenuItem onSelect={() => void table(span, "csv")}>
            Save the span as a table (CSV, every node)
          </MenuItem>
        )}
        <MenuItem onSelect={() => void table(shown, "csv", rate)}>
          Save {what} resampled (CSV, {show(rate, "hertz", 3)})
        </MenuItem>
        <MenuItem onSelect={() => void table(shown, "arrow")}>
          Save {what} as Apache Arrow, every node
        </MenuItem>
        <MenuItem onSelect={() => void table(shown, "parquet")}>
          Save {what} as Apache Parquet, every node
        </MenuItem>
        <MenuItem onSelect={() => void table(shown, "comtrade")}>
          Save {what} as COMTRADE (.cff), every node
        </MenuItem>
        <MenuItem onSelect={onImport}>Measured traces from a file …</MenuItem>
      </Menu>
    </>
  );
}
