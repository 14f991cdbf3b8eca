import { FlipHorizontal2, RotateCw, Trash2, X } from "lucide-react";

import type { Parameter, PartKind, SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { partSignals } from "../readings/draft";
import { Tapped } from "../taps/tapped";
import { Button } from "../ui/button";
import { ValueField } from "../ui/valuefield";
import { joined, mirrored, onPart, turned } from "../drawing/partedits";
import { CataloguePart } from "./cataloguepart";

type Part = NonNullable<SupplyShown["document"]["parts"]>[number];

interface Props {
  supply: SupplyShown;
  part: Part;
  kind: PartKind;
  kinds: PartKind[];
  editing: Editing;
  onClose: () => void;
}

/** Everything there is to a part: its parameters, its ratings, and the nets of its pins. */
export function Inspector({ supply, part, kind, kinds, editing, onClose }: Props) {
  const ofKind = new Map(kinds.map((k) => [k.id, k]));
  const onParameter = (parameter: string, text: string) =>
    editing.change(
      `set ${part.id}`,
      onPart(part.id, (target) => {
        target.parameters = { ...target.parameters, [parameter]: text };
      }),
    );
  const text = (parameter: Parameter) => part.parameters?.[parameter.id] ?? parameter.form.default;
  const amplitudes = new Set(
    kind.parameters.map((p) => (p.form.form === "quantity" ? p.form.meant_as : undefined)),
  );
  return (
    <aside
      data-pane
      aria-label={`Inspector of ${part.id}`}
      className="absolute inset-y-0 right-0 z-10 w-[440px] overflow-auto border-l border-hairline bg-panel p-3 shadow-soft"
    >
      <div className="mb-2 flex items-baseline gap-2">
        <h2 className="font-semibold">{part.id}</h2>
        <span className="text-muted">{kind.name}</span>
        <span className="grow" />
        <Button
          look="quiet"
          aria-label="Turn"
          title="Turn by a quarter (T)"
          onClick={() => editing.change(`turn ${part.id}`, turned([part.id], supply.drawing, ofKind))}
        >
          <RotateCw size={16} />
        </Button>
        <Button
          look="quiet"
          aria-label="Mirror"
          title="Mirror left to right (M)"
          onClick={() => editing.change(`mirror ${part.id}`, mirrored([part.id], supply.drawing, ofKind))}
        >
          <FlipHorizontal2 size={16} />
        </Button>
        <Button
          look="quiet"
          aria-label="Remove the part"
          title="Remove the part (Delete)"
          onClick={() => {
            void editing.compose(`remove ${part.id}`, { edit: "remove_parts", parts: [part.id] });
            onClose();
          }}
        >
          <Trash2 size={16} />
        </Button>
        <Button look="quiet" aria-label="Close the inspector" onClick={onClose}>
          <X size={16} />
        </Button>
      </div>
      <CataloguePart part={part} kind={kind} kinds={kinds} editing={editing} />
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
                key={`${part.id} ${parameter.id} ${text(parameter)}`}
                parameter={parameter}
                value={text(parameter)}
                onCommit={(v) => onParameter(parameter.id, v)}
              />
            );
          }
          const meant = kind.parameters.find((p) => p.id === form.meant_as);
          return (
            <div key={`${part.id} ${parameter.id}`}>
              <ValueField
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
      <div className="mt-3 border-y border-hairline py-2">
        <Tapped signals={partSignals(part)} />
      </div>
      {kind.ratings.length > 0 && <h3 className="mt-3 mb-1 text-xs text-muted">Rated for at most</h3>}
      <div className="grid gap-1">
        {kind.ratings.map((rating) => (
          <ValueField
            key={`${part.id} ${rating.id}`}
            supply={supply.id}
            label={rating.name}
            help="What a specimen bears; the checks hold what is expected against it."
            unit={rating.unit}
            text={part.ratings?.[rating.id] ?? ""}
            fallback="not stated"
            onCommit={(text) =>
              editing.change(
                `rate ${part.id}`,
                onPart(part.id, (target) => {
                  const others = Object.entries(target.ratings ?? {}).filter(([id]) => id !== rating.id);
                  target.ratings = Object.fromEntries(text === "" ? others : [...others, [rating.id, text]]);
                }),
              )
            }
          />
        ))}
      </div>
      <h3 className="mt-3 mb-1 text-xs text-muted">Pins and their nets</h3>
      <div className="grid grid-cols-2 gap-x-3 gap-y-1">
        {kind.pins.map((pin) => (
          <PinNet
            key={`${pin.id} ${part.pins[pin.id]}`}
            name={pin.name}
            net={part.pins[pin.id] ?? ""}
            onJoin={(net) => editing.change(`connect ${part.id} to ${net}`, joined(part.id, pin.id, net))}
          />
        ))}
      </div>
      {(supply.document.stages?.length ?? 0) > 0 && (
        <label className="mt-3 flex items-center gap-2">
          <span className="w-36 shrink-0 text-muted">Belongs to</span>
          <select
            value={part.stage ?? ""}
            onChange={(event) =>
              editing.change(
                `put ${part.id} into a stage`,
                onPart(part.id, (target) => {
                  target.stage = event.target.value || null;
                  // What it was in the form of its stage it is no longer.
                  target.role = null;
                }),
              )
            }
            className="h-7 grow rounded-md border border-hairline bg-panel px-1"
          >
            <option value="">no stage</option>
            {supply.document.stages?.map((s) => (
              <option key={s.id} value={s.id}>
                {s.title}
              </option>
            ))}
          </select>
        </label>
      )}
      <datalist id="nets">
        {[...new Set(supply.document.parts?.flatMap((p) => Object.values(p.pins)))].sort().map((net) => (
          <option key={net} value={net} />
        ))}
      </datalist>
      <p className="mt-3 text-xs text-muted">{kind.help}</p>
      <p className="mt-1 text-xs text-muted">
        <b className="font-semibold">By switching:</b>{" "}
        {kind.by_switching ?? "no form; studies with it are simulated at device level."}
      </p>
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

/** The net of a pin; another name connects the pin there. */
function PinNet({ name, net, onJoin }: { name: string; net: string; onJoin: (net: string) => void }) {
  return (
    <label className="flex items-center gap-2">
      <span className="w-24 shrink-0 truncate text-muted" title={name}>
        {name}
      </span>
      <input
        defaultValue={net}
        list="nets"
        spellCheck={false}
        autoComplete="off"
        onBlur={(event) => {
          const text = event.target.value.trim();
          if (text && text !== net) onJoin(text);
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") {
            event.stopPropagation();
            event.currentTarget.value = net;
          }
        }}
        className="figures h-7 w-full min-w-0 rounded-md border border-hairline bg-transparent px-2"
      />
    </label>
  );
}
