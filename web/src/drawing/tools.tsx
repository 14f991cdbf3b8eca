import {
  AlignHorizontalDistributeCenter,
  AlignVerticalDistributeCenter,
  CopyPlus,
  FileImage,
  FlipHorizontal2,
  Gauge,
  Maximize,
  Plus,
  RotateCw,
  Slash,
  StickyNote,
  Trash2,
} from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";

import type { PartKind, SupplyShown } from "../api/client";
import { CatalogueDialog } from "../catalogue/catalogue";
import type { Editing } from "../frame/editing";
import { fileName } from "../ui/files";
import { ToolButton } from "../ui/toolbutton";
import { ITEM, Menu, MenuItem } from "../ui/menu";
import { savePicture } from "./picture";

interface Props {
  shown: SupplyShown;
  kinds: PartKind[];
  selected: string[];
  /** The middle of what is shown, where new things are put. */
  near: [number, number];
  editing: Editing;
  onLine: () => void;
  /** Opens a note that has just been added. */
  onNote: (index: number) => void;
  onFit: () => void;
  onTurn: () => void;
  onMirror: () => void;
  onAlign: (along: "row" | "column") => void;
  onDuplicate: () => void;
  onRemove: () => void;
  figures: Figures;
  onFigures: (figures: Figures) => void;
}

/** What stands beside nets and parts. */
export type Figures = "nothing" | "resting" | "mean" | "rms" | "at_a";

const FIGURES: Record<Figures, string> = {
  nothing: "No figures",
  resting: "Operating point",
  mean: "Means of the run",
  rms: "RMS of the run",
  at_a: "Values at A",
};

/** What can be put into the drawing, done to what is chosen in it, and made of all of it. */
export function Tools(props: Props) {
  const { shown, kinds, selected, near, editing } = props;
  const [adding, setAdding] = useState(false);
  const some = selected.length > 0;
  const several = selected.length > 1;
  const tool = (label: string, title: string, Icon: typeof Plus, onClick: () => void, able = true) => (
    <ToolButton label={label} title={title} disabled={!able} onClick={onClick}>
      <Icon size={15} />
    </ToolButton>
  );
  const byHand = shown.document.parts?.some((part) => part.at?.by_hand);
  const tidy = (parts: string[], keep = false) =>
    void editing.compose("tidy the drawing", { edit: "tidy", parts, keep });
  const note = () => {
    const index = shown.document.texts?.length ?? 0;
    void editing.change("add a note", (document) => {
      document.texts = [...(document.texts ?? []), { text: "Note", x: near[0], y: near[1] }];
    });
    props.onNote(index);
  };
  const name = shown.document.title.toLowerCase().replaceAll(/[^a-z0-9]+/g, "-");
  return (
    <div
      role="toolbar"
      aria-label="Drawing"
      className="flex min-h-9 shrink-0 flex-wrap items-center border-b border-hairline px-1 text-xs"
    >
      <ToolButton label="Add a part" title="Add a part from the catalogue" onClick={() => setAdding(true)}>
        <Plus size={14} /> Part
      </ToolButton>
      {tool("Add line", "Add a part by typing what it is (/)", Slash, props.onLine)}
      {tool("Add note", "Add a note", StickyNote, note)}
      <span className="mx-1 h-5 w-px bg-hairline" />
      {tool("Turn the parts", "Turn by a quarter (T)", RotateCw, props.onTurn, some)}
      {tool("Mirror the parts", "Mirror left to right (M)", FlipHorizontal2, props.onMirror, some)}
      {tool(
        "Align in a row",
        "Align in a row",
        AlignVerticalDistributeCenter,
        () => props.onAlign("row"),
        several,
      )}
      {tool(
        "Align in a column",
        "Align in a column",
        AlignHorizontalDistributeCenter,
        () => props.onAlign("column"),
        several,
      )}
      {tool("Duplicate the parts", "Duplicate (Ctrl D)", CopyPlus, props.onDuplicate, some)}
      {tool("Remove the parts", "Remove (Delete)", Trash2, props.onRemove, some)}
      <span className="grow truncate px-2 text-right text-muted">
        {several ? `${selected.length} parts chosen` : ""}
      </span>
      <Menu
        className="text-sm"
        trigger={
          <ToolButton
            label="Figures in the drawing"
            title={`Beside nets and parts: ${FIGURES[props.figures].toLowerCase()}`}
          >
            <Gauge size={15} className={props.figures === "nothing" ? undefined : "text-copper"} />
          </ToolButton>
        }
      >
        <DropdownMenu.RadioGroup
          value={props.figures}
          onValueChange={(figures) => props.onFigures(figures as Figures)}
          aria-label="Beside nets and parts"
        >
          {Object.entries(FIGURES).map(([id, name]) => (
            <DropdownMenu.RadioItem
              key={id}
              value={id}
              className={`${ITEM} data-[state=checked]:text-copper`}
            >
              {name}
            </DropdownMenu.RadioItem>
          ))}
        </DropdownMenu.RadioGroup>
      </Menu>
      <Menu
        className="text-sm"
        trigger={
          <ToolButton label="Tidy" title="Draw parts as a draftsman would">
            Tidy
          </ToolButton>
        }
      >
        {some && (
          <MenuItem onSelect={() => tidy(selected)}>
            {several ? `The ${selected.length} parts chosen` : `${selected[0]} alone`}
          </MenuItem>
        )}
        {byHand && <MenuItem onSelect={() => tidy([], true)}>All but what was placed by hand</MenuItem>}
        <MenuItem onSelect={() => tidy([])}>All of it</MenuItem>
      </Menu>
      <ToolButton
        label="Size all"
        title="Size every stage again; values set by hand stay"
        onClick={() => void editing.compose("size all stages", { edit: "size_all" })}
      >
        Size all
      </ToolButton>
      {tool("Show all of it", "Show all of it (0)", Maximize, props.onFit)}
      <Menu
        className="text-sm"
        trigger={
          <ToolButton label="Save the drawing" title="Save the drawing as a picture">
            <FileImage size={15} />
          </ToolButton>
        }
      >
        <MenuItem asChild>
          <a
            className="block"
            href={`/api/supplies/${shown.id}/drawing.svg`}
            download={fileName([name, "drawing"], "svg")}
          >
            As SVG
          </a>
        </MenuItem>
        <MenuItem onSelect={() => void savePicture(shown.id, name)}>As PNG</MenuItem>
      </Menu>
      {adding && (
        <CatalogueDialog
          title="Add a part"
          kinds={kinds}
          onClose={() => setAdding(false)}
          onTake={(kind, entry) => {
            setAdding(false);
            const what = entry?.title ?? kinds.find((k) => k.id === kind)?.name ?? "a part";
            void editing.compose(`add ${what.toLowerCase()}`, {
              edit: "add_part",
              kind,
              entry: entry ?? null,
              near,
            });
          }}
        />
      )}
    </div>
  );
}
