import { X } from "lucide-react";

import type { Parameter, PartKind, SupplyShown } from "../api/client";
import { Button } from "../ui/button";
import { ValueField } from "../ui/valuefield";

type Part = NonNullable<SupplyShown["document"]["parts"]>[number];

interface Props {
  supply: SupplyShown;
  part: Part;
  kind: PartKind;
  onClose: () => void;
  onParameter: (parameter: string, text: string) => void;
}

/** Everything there is to a part: its parameters, and the nets of its pins. */
export function Inspector({ supply, part, kind, onClose, onParameter }: Props) {
  const text = (parameter: Parameter) => part.parameters?.[parameter.id] ?? parameter.form.default;
  const amplitudes = new Set(
    kind.parameters.map((p) => (p.form.form === "quantity" ? p.form.meant_as : undefined)),
  );
  return (
    <aside
      aria-label={`Inspector of ${part.id}`}
      className="absolute inset-y-0 right-0 z-10 w-[440px] overflow-auto border-l border-hairline bg-panel p-3 shadow-soft"
    >
      <div className="mb-2 flex items-baseline gap-2">
        <h2 className="font-semibold">{part.id}</h2>
        <span className="text-muted">{kind.name}</span>
        <span className="figures grow truncate text-xs text-muted">
          {kind.pins.map((pin) => `${pin.name}: ${part.pins[pin.id] ?? "open"}`).join("   ")}
        </span>
        <Button look="quiet" aria-label="Close the inspector" onClick={onClose}>
          <X size={16} />
        </Button>
      </div>
      <div className="grid gap-2">
        {kind.parameters.map((parameter) => {
          // A choice that says how an amplitude is meant stands in that amplitude's field.
          if (amplitudes.has(parameter.id)) return null;
          const { form } = parameter;
          if (form.form === "choice") {
            return (
              <Choice
                key={parameter.id}
                parameter={parameter}
                value={text(parameter)}
                onChoose={(v) => onParameter(parameter.id, v)}
              />
            );
          }
          if (form.form === "points") {
            return (
              <Points
                key={`${parameter.id} ${supply.revision}`}
                parameter={parameter}
                value={text(parameter)}
                onCommit={(v) => onParameter(parameter.id, v)}
              />
            );
          }
          const meant = kind.parameters.find((p) => p.id === form.meant_as);
          return (
            <div key={parameter.id}>
              <ValueField
                key={`${supply.revision}`}
                supply={supply.id}
                label={parameter.name}
                help={parameter.help}
                unit={form.unit}
                text={text(parameter)}
                meant={meant && text(meant)}
                finding={supply.findings.find(
                  (f) =>
                    f.place.at === "parameter" &&
                    f.place.part === part.id &&
                    f.place.parameter === parameter.id,
                )}
                onCommit={(value) => onParameter(parameter.id, value)}
              />
              {meant && (
                <Choice
                  parameter={meant}
                  value={text(meant)}
                  onChoose={(value) => onParameter(meant.id, value)}
                />
              )}
            </div>
          );
        })}
      </div>
      <p className="mt-3 text-xs text-muted">{kind.help}</p>
    </aside>
  );
}

function Choice(props: { parameter: Parameter; value: string; onChoose: (value: string) => void }) {
  const { parameter, value, onChoose } = props;
  if (parameter.form.form !== "choice") return null;
  return (
    <fieldset className="mt-1 flex items-center gap-1" title={parameter.help}>
      <legend className="sr-only">{parameter.name}</legend>
      <span className="w-36 shrink-0 text-muted">{parameter.name}</span>
      {parameter.form.options.map(([id, name]) => (
        <label
          key={id}
          className={`cursor-pointer rounded-md border px-2 py-0.5 text-xs ${id === value ? "border-copper bg-copper-soft" : "border-hairline"}`}
        >
          <input
            type="radio"
            className="sr-only"
            name={parameter.id}
            checked={id === value}
            onChange={() => onChoose(id)}
          />
          {name}
        </label>
      ))}
    </fieldset>
  );
}

function Points(props: { parameter: Parameter; value: string; onCommit: (value: string) => void }) {
  const { parameter, value, onCommit } = props;
  return (
    <label className="flex items-center gap-1" title={parameter.help}>
      <span className="w-36 shrink-0 text-muted">{parameter.name}</span>
      <input
        className="figures min-w-0 grow rounded-md border border-hairline bg-transparent px-2 py-1"
        defaultValue={value}
        onBlur={(event) => event.target.value !== value && onCommit(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
    </label>
  );
}
