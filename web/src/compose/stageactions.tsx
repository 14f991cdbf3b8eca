import { useStageForms, type Edit, type Stage, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";

interface Props {
  shown: SupplyShown;
  stage: Stage;
  editing: Editing;
  onStage: (stage: string | undefined) => void;
}

/** The stage's title, and what can be done with the stage as a whole. */
export function StageActions({ shown, stage, editing, onStage }: Props) {
  const forms = useStageForms();
  const form = forms.data?.find((f) => f.id === stage.form);
  const others = forms.data?.filter((f) => f.takes === form?.takes && f.id !== form?.id) ?? [];
  const name = stage.title.toLowerCase();
  const compose = (what: string, edit: Edit) => void editing.compose(`${what} ${name}`, edit);
  const fed = shown.document.stages?.find((s) => s.id === stage.after);
  return (
    <div className="mb-2 flex flex-wrap items-center gap-2">
      <input
        key={stage.title}
        aria-label="Title of the stage"
        defaultValue={stage.title}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        onBlur={(event) => {
          const title = event.target.value.trim();
          if (title && title !== stage.title) compose("rename", { edit: "rename", stage: stage.id, title });
        }}
        className="field-sizing-content min-w-32 rounded-sm bg-transparent px-1 font-semibold hover:bg-ground"
      />
      <span className="grow truncate text-xs text-muted">{form?.help}</span>
      {form && others.length > 0 && (
        <Menu trigger={<Button>Replace by …</Button>}>
          {others.map((other) => (
            <MenuItem
              key={other.id}
              onSelect={() => compose("replace", { edit: "replace", stage: stage.id, form: other.id })}
            >
              {other.title}
            </MenuItem>
          ))}
        </Menu>
      )}
      {stage.after && (
        <Button
          title={
            stage.bypassed
              ? "Take it into runs again"
              : "Leave it out of every run, what follows being joined to what comes before"
          }
          onClick={() =>
            compose(stage.bypassed ? "take in" : "bypass", {
              edit: "bypass",
              stage: stage.id,
              bypassed: !stage.bypassed,
            })
          }
        >
          {stage.bypassed ? "Take in again" : "Bypass"}
        </Button>
      )}
      {(stage.joints?.length ?? 0) > 0 && (
        <Button
          title="Add a study that ends behind this stage, a resistor standing in for what follows"
          onClick={() => compose("study", { edit: "study_so_far", stage: stage.id })}
        >
          Study so far
        </Button>
      )}
      {fed?.after && form && (
        <Button onClick={() => compose("move", { edit: "move_earlier", stage: stage.id })}>
          Move earlier
        </Button>
      )}
      {form && stage.after && (
        <Button onClick={() => compose("duplicate", { edit: "duplicate", stage: stage.id })}>
          Duplicate
        </Button>
      )}
      <Button
        onClick={() => {
          compose("remove", { edit: "remove", stage: stage.id });
          onStage(undefined);
        }}
      >
        Remove
      </Button>
    </div>
  );
}
