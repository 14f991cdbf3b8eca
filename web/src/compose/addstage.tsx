import { Plus } from "lucide-react";
import { DropdownMenu } from "radix-ui";

import { useStageForms, type Form, type Stage } from "../api/client";
import type { Editing } from "../frame/editing";

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
const CONTENT =
  "z-20 max-h-[70vh] w-80 overflow-auto rounded-md border border-hairline bg-panel p-1 shadow-soft";
const ITEM =
  "cursor-pointer rounded-sm px-2 py-1 outline-none data-[highlighted]:bg-copper-soft data-[state=open]:bg-copper-soft";

/** The quiet + at a joint: what fits there, in the order of the power path. */
export function AddStage({ stages, after, editing, onAdded }: Props) {
  const forms = useStageForms();
  const joints = after?.joints ?? [];
  const followed = (joint: number) =>
    stages.some((s) => after !== undefined && s.after === after.id && (s.from_joint ?? 0) === joint);
  const fitting = (joint: number) =>
    (forms.data ?? []).filter((f) => (after ? f.takes === joints[joint]?.joint : !f.takes));
  const add = async (form: Form, joint: number, between: boolean) => {
    const before = new Set(stages.map((s) => s.id));
    const stored = await editing.compose(`add ${form.title.toLowerCase()}`, {
      edit: "add",
      form: form.id,
      place: { after: after?.id ?? null, joint },
      between,
      choices: {},
    });
    const added = stored?.document.stages?.find((s) => !before.has(s.id));
    if (added) onAdded(added.id);
  };
  const label = after ? `Add a stage after ${after.title}` : "Add a source";
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        {after ? (
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
        )}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={CONTENT} sideOffset={4} collisionPadding={8}>
          {(after ? joints : [undefined]).map((_, joint) => {
            const items = (between: boolean) => (
              <Forms forms={fitting(joint)} onForm={(form) => void add(form, joint, between)} />
            );
            const name = joints.length > 1 ? ` at joint ${joint + 1}` : "";
            if (!followed(joint)) {
              return (
                <div key={joint}>
                  {name && <p className="px-2 pt-1 text-xs text-muted">Joint {joint + 1}</p>}
                  {items(false)}
                </div>
              );
            }
            return (
              <div key={joint}>
                <Sub title={`Branch off${name}`}>{items(false)}</Sub>
                <Sub title={`Put between${name}`}>{items(true)}</Sub>
              </div>
            );
          })}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function Sub({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <DropdownMenu.Sub>
      <DropdownMenu.SubTrigger className={ITEM}>{title} …</DropdownMenu.SubTrigger>
      <DropdownMenu.Portal>
        <DropdownMenu.SubContent className={CONTENT} collisionPadding={8}>
          {children}
        </DropdownMenu.SubContent>
      </DropdownMenu.Portal>
    </DropdownMenu.Sub>
  );
}

function Forms({ forms, onForm }: { forms: Form[]; onForm: (form: Form) => void }) {
  const kinds = [...new Set(forms.map((f) => f.kind))];
  return kinds.map((kind) => (
    <DropdownMenu.Group key={kind}>
      <DropdownMenu.Label className="px-2 pt-1.5 text-xs text-muted">{KINDS[kind]}</DropdownMenu.Label>
      {forms
        .filter((f) => f.kind === kind)
        .map((form) => (
          <DropdownMenu.Item
            key={form.id}
            className={ITEM}
            textValue={form.title}
            onSelect={() => onForm(form)}
          >
            <span className="font-semibold">{form.title}</span>
            <span className="block text-xs text-muted">{form.help}</span>
          </DropdownMenu.Item>
        ))}
    </DropdownMenu.Group>
  ));
}
