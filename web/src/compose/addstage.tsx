import { Plus } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";

import { useStageForms, type Form, type Stage } from "../api/client";
import type { Editing } from "../frame/editing";
import { ITEM, Menu, MenuItem } from "../ui/menu";

interface Props {
  stages: Stage[];
  /** The stage to add behind; none for a source. */
  after?: Stage;
  editing: Editing;
  onAdded: (stage: string) => void;
}

const KINDS: Record<Stage["kind"], string> = {
  source: "Sources",
  transformer: "Transformers",
  rectifier: "Rectifiers",
  reservoir: "Reservoirs",
  filter: "Filters",
  protection: "Protection",
  regulator: "Regulators",
  converter: "Converters",
  load: "Loads",
};
/** What becomes of the stages that follow at a joint. */
const MANNERS = [
  {
    id: "branch",
    name: "Branch off",
    help: "What follows here stays as it is; the new stage hangs beside it",
  },
  { id: "between", name: "Put between", help: "What follows here comes behind the new stage" },
];
/** Forms stand in two columns where there are many, so that none is out of sight. */
const width = (forms: Form[]) => (forms.length > 6 ? "w-[600px] columns-2 gap-1" : "w-80");

/** The quiet + at a joint: what fits there, in the order of the power path. */
export function AddStage({ stages, after, editing, onAdded }: Props) {
  const forms = useStageForms();
  const joints = after?.joints ?? [];
  const followed = (joint: number) =>
    stages.some((s) => after !== undefined && s.after === after.id && (s.from_joint ?? 0) === joint);
  const fitting = (joint: number) =>
    (forms.data ?? []).filter((f) => (after ? f.takes === joints[joint]?.joint : !f.takes));
  const add = async (form: Form, joint: number, between: boolean) => {
    const made = await editing.compose(`add ${form.title.toLowerCase()}`, {
      edit: "add",
      form: form.id,
      place: { after: after?.id ?? null, joint },
      between,
      choices: {},
    });
    const added = made?.after.document.stages?.find((s) => !made.before.stages?.some((b) => b.id === s.id));
    if (added) onAdded(added.id);
  };
  const [manner, setManner] = useState("branch");
  const label = after ? `Add a stage after ${after.title}` : "Add a source";
  return (
    <Menu
      align="start"
      className={width(fitting(0))}
      trigger={
        after ? (
          <button
            type="button"
            aria-label={label}
            title={label}
            className="flex h-[22px] w-[22px] items-center justify-center rounded-full border border-copper bg-panel text-copper hover:bg-copper hover:text-panel"
          >
            <Plus size={14} />
          </button>
        ) : (
          <button
            type="button"
            className="inline-flex h-9 items-center gap-1.5 rounded-md bg-copper px-3 font-semibold text-panel"
          >
            <Plus size={16} /> {label}
          </button>
        )
      }
    >
      {joints.some((_, joint) => followed(joint)) && (
        <DropdownMenu.RadioGroup
          value={manner}
          onValueChange={setManner}
          aria-label="How it joins what follows"
          className="mb-1 flex gap-1 border-b border-hairline pb-1 [column-span:all]"
        >
          {MANNERS.map(({ id, name, help }) => (
            <DropdownMenu.RadioItem
              key={id}
              value={id}
              title={help}
              onSelect={(event) => event.preventDefault()}
              className={`${ITEM} grow text-center data-[state=checked]:font-semibold data-[state=checked]:text-copper`}
            >
              {name}
            </DropdownMenu.RadioItem>
          ))}
        </DropdownMenu.RadioGroup>
      )}
      {(after ? joints : [undefined]).map((_, joint) => (
        <div key={joint}>
          {joints.length > 1 && <p className="px-2 pt-1 text-xs text-muted">Joint {joint + 1}</p>}
          <Forms
            forms={fitting(joint)}
            onForm={(form) => void add(form, joint, manner === "between" && followed(joint))}
          />
        </div>
      ))}
    </Menu>
  );
}

function Forms({ forms, onForm }: { forms: Form[]; onForm: (form: Form) => void }) {
  const kinds = [...new Set(forms.map((f) => f.kind))];
  return kinds.map((kind) => (
    <DropdownMenu.Group key={kind}>
      <DropdownMenu.Label className="break-after-avoid px-2 pt-1.5 text-xs text-muted">
        {KINDS[kind]}
      </DropdownMenu.Label>
      {forms
        .filter((f) => f.kind === kind)
        .map((form) => (
          <MenuItem
            key={form.id}
            className="break-inside-avoid"
            textValue={form.title}
            onSelect={() => onForm(form)}
          >
            <span className="font-semibold">{form.title}</span>
            <span className="block text-xs leading-4 text-muted">{form.help}</span>
          </MenuItem>
        ))}
    </DropdownMenu.Group>
  ));
}
