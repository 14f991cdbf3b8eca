import { Download } from "lucide-react";
import { useState } from "react";

import { tableOfTraces, type Run } from "../api/client";
import type { View } from "../plot/draw";
import { pictureOf, saveAs } from "../plot/save";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";

interface Props {
  run: Run;
  name: string;
  signals: string[];
  view: View;
  span?: View;
  /** The canvases of the strips, from top to bottom. */
  canvases: () => HTMLCanvasElement[];
}

/** Strips as a picture, traces as a table. */
export function SaveMenu({ run, name, signals, view, span, canvases }: Props) {
  const [problem, setProblem] = useState<string>();
  const picture = (then: (blob: Blob) => unknown) => {
    setProblem(undefined);
    const drawn = pictureOf(canvases(), view);
    drawn?.toBlob((blob) => blob && void then(blob), "image/png");
  };
  const copy = async (blob: Blob) => {
    try {
      await navigator.clipboard.write([new ClipboardItem({ "image/png": blob })]);
    } catch {
      setProblem("The browser does not let pictures be copied here; save it instead.");
    }
  };
  const table = async ({ from, to }: View) => {
    setProblem(undefined);
    const found = await tableOfTraces(run, signals, from, to);
    if (typeof found === "string") setProblem(found);
    else saveAs(`${name}.csv`, found);
  };
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
        <MenuItem onSelect={() => picture((blob) => saveAs(`${name}.png`, blob))}>
          Save as a picture (PNG)
        </MenuItem>
        <MenuItem onSelect={() => picture(copy)}>Copy the picture</MenuItem>
        <MenuItem onSelect={() => void table(view)}>Save what is shown as a table (CSV, every node)</MenuItem>
        {span && (
          <MenuItem onSelect={() => void table(span)}>Save the span as a table (CSV, every node)</MenuItem>
        )}
      </Menu>
    </>
  );
}
